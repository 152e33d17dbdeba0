/** The asset on the bench: its draft, its mesh, the seed tray. */
import { bytes, said, type Values } from '../api/client';
import { parse, type LoadedMesh } from '../view/glb';
import { texturesReady } from '../view/materials';
import type { Portraits } from '../view/turntable';
import { same, writeAll } from './values';

export interface Facts {
  triangles: number;
  vertices: number;
  bytes: number;
  height: number;
  canopy_radius: number;
  counts: Record<string, number>;
  until: number[];
}

export interface Made {
  mesh: LoadedMesh;
  facts: Facts;
}

export const LEVELS = ['near', 'middle', 'far', 'card'];

/** Make an asset and load what comes back. */
export async function make(
  kind: string,
  parameters: Values,
  seed: number,
  detail: number,
  signal?: AbortSignal,
): Promise<Made> {
  const data = await bytes('/api/make', {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ kind, parameters, seed, detail }),
    signal,
  });
  const mesh = await parse(data);
  return { mesh, facts: mesh.extras as unknown as Facts };
}

export class BenchState {
  kind = $state('');
  parameters = $state.raw<Values>({});
  seed = $state(1);
  detail = $state(0);
  made = $state.raw<Made | null>(null);
  busy = $state(false);
  failure = $state('');
  ladder = $state.raw<(Facts | null)[]>([null, null, null, null]);
  tray = $state.raw<{ seed: number; picture: string | null; triangles: number }[]>([]);
  trayFrom = $state(0);
  portraits = $state.raw<Portraits | null>(null); // given by the view
  private turn = 0;
  private last = '';
  private running = new AbortController();
  private trayRun = new AbortController();
  private ladderRun = new AbortController();

  /** Begin with an asset as it is kept. */
  take(kind: string, parameters: Values, seed: number) {
    this.kind = kind;
    this.parameters = parameters;
    this.seed = seed;
  }

  /** Change parameters without keeping them; the newest request wins. */
  draft(changes: Values) {
    const next = writeAll(this.parameters, changes);
    if (same(next, this.parameters)) return;
    this.parameters = next;
    void this.make();
  }

  async make() {
    const key = JSON.stringify([this.kind, this.parameters, this.seed, this.detail]);
    if (key === this.last) return;
    this.last = key;
    const turn = ++this.turn;
    // let one request finish while the newest waits, so that a fast drag still shows every result there is time for
    if (this.busy) return;
    this.busy = true;
    this.running = new AbortController();
    try {
      const made = await make(this.kind, this.parameters, this.seed, this.detail, this.running.signal);
      this.made = made;
      this.failure = '';
      this.ladder = this.ladder.map((f, d) => (d === this.detail ? made.facts : f));
    } catch (error) {
      if (!this.running.signal.aborted) this.failure = said(error);
    }
    this.busy = false;
    if (turn !== this.turn) {
      this.last = '';
      await this.make();
    }
  }

  /** Measure the other levels of detail. */
  async measure() {
    this.ladderRun.abort();
    this.ladderRun = new AbortController();
    const { signal } = this.ladderRun;
    for (let d = 0; d < LEVELS.length && !signal.aborted; d++) {
      if (d === this.detail) continue;
      try {
        const { facts } = await make(this.kind, this.parameters, this.seed, d, signal);
        if (!signal.aborted) this.ladder = this.ladder.map((f, i) => (i === d ? facts : f));
      } catch {
        return; // the failure is shown where the asset is
      }
    }
  }

  /** Eight seeds of the present parameters, as pictures of their meshes. */
  async fillTray() {
    const { portraits } = this;
    if (!portraits) return;
    this.trayRun.abort();
    this.trayRun = new AbortController();
    const { signal } = this.trayRun;
    const old = this.tray;
    const seeds = Array.from({ length: 8 }, (_, k) => this.trayFrom + k + 1);
    this.tray = seeds.map((seed, k) =>
      old[k]?.seed === seed ? (old[k] as (typeof old)[0]) : { seed, picture: null, triangles: 0 },
    );
    for (const [k, seed] of seeds.entries()) {
      try {
        const { mesh, facts } = await make(this.kind, this.parameters, seed, 1, signal);
        if (signal.aborted) return;
        await texturesReady();
        if (signal.aborted) return;
        const picture = portraits.take(mesh, facts.height, facts.canopy_radius);
        for (const part of mesh.parts) part.geometry.dispose();
        this.tray = this.tray.map((t, i) => (i === k ? { seed, picture, triangles: facts.triangles } : t));
      } catch {
        return;
      }
    }
  }

  stop() {
    for (const run of [this.running, this.trayRun, this.ladderRun]) run.abort();
  }
}
