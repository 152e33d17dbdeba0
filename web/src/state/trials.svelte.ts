/** Trials: a number of a layer at several values, each with its picture from where the camera is. */
import { getContext, setContext } from 'svelte';
import { said, type Evaluation, type Trial, type TrialSet, type Values } from '../api/client';
import { shown } from './values';

/** Takes a picture of what a scene came to, from where the camera is. */
export type Camera = (of: Evaluation, signal: AbortSignal) => Promise<Blob>;

/** What trials ask of the server. */
export interface TrialServer {
  trials(layer: string, path: string, count: 3 | 5): Promise<TrialSet>;
  draft(layer: string, parameters: Values): Promise<Evaluation>;
}

export interface Card {
  trial: Trial;
  text: string;
  picture: string; // an address; empty until it is taken
  evaluation: Evaluation | null;
  failure: string;
}

export class Trials {
  cards = $state.raw<Card[]>([]);
  title = $state('');
  /** Pictures are still being taken. */
  busy = $state(true);
  failure = $state('');
  /** The one that the view shows; -1: the scene as it is. */
  looked = $state(-1);
  private readonly running = new AbortController();

  constructor(
    private readonly server: TrialServer,
    readonly layer: string,
    readonly path: string,
    readonly count: 3 | 5,
  ) {}

  /** What the view shows instead of the scene as it is. */
  get seen(): Evaluation | null {
    return this.busy ? null : (this.cards[this.looked]?.evaluation ?? null);
  }

  async run(camera: Camera) {
    const { signal } = this.running;
    try {
      const found = await this.server.trials(this.layer, this.path, this.count);
      if (signal.aborted) return;
      this.title = found.title;
      this.cards = found.trials.map((trial) => ({
        trial,
        text: textOf(trial.value, found),
        picture: '',
        evaluation: null,
        failure: trial.error,
      }));
      for (const [k, trial] of found.trials.entries()) {
        if (trial.error) continue;
        try {
          const evaluation = await this.server.draft(this.layer, trial.parameters);
          const picture = URL.createObjectURL(await camera(evaluation, signal));
          if (signal.aborted) URL.revokeObjectURL(picture);
          else this.put(k, { evaluation, picture });
        } catch (error) {
          if (!signal.aborted) this.put(k, { failure: said(error) });
        }
        if (signal.aborted) return;
      }
    } catch (error) {
      if (!signal.aborted) this.failure = said(error);
    }
    this.busy = false;
  }

  private put(at: number, more: Partial<Card>) {
    this.cards = this.cards.map((c, k) => (k === at ? { ...c, ...more } : c));
  }

  /** Let go of its pictures; what is under way ends. */
  end() {
    this.running.abort();
    this.busy = false;
    for (const { picture } of this.cards) if (picture) URL.revokeObjectURL(picture);
  }
}

/** A value with its unit. */
export function textOf(value: unknown, of: Pick<TrialSet, 'unit' | 'step'>): string {
  const one = (v: unknown) => (typeof v === 'number' ? shown(v, of.step ?? null) : String(v));
  const text = Array.isArray(value) ? [...new Set(value.map(one))].join('–') : one(value);
  return of.unit === '°' ? `${text}°` : of.unit ? `${text} ${of.unit}` : text;
}

/** By how much a weight differs from the present one, in words. */
export function differing(triangles: number, now: number): string {
  const by = triangles - now;
  const size = Math.abs(by) >= 1e6 ? `${(Math.abs(by) / 1e6).toFixed(2)} M` : `${Math.round(Math.abs(by) / 1000)} k`;
  return Math.abs(by) < 500 ? 'as heavy' : `${by > 0 ? '+' : '−'} ${size} triangles`;
}

/** Begins trials of the number at a path; nothing where it cannot be tried. */
export type Begin = (path: string) => (() => void) | undefined;

const KEY = Symbol('trials');

export const offerTrials = (begin: Begin) => setContext(KEY, begin);
export const trialsOffered = () => getContext<Begin | undefined>(KEY);
