/** The asset on the bench: its draft, its mesh, the tray, what is held beside it. */
import {
  api,
  bytes,
  said,
  take,
  toldBytes,
  type Cousin,
  type Lamp,
  type LevelFacts,
  type Picture,
  type Progress,
  type Values,
} from '../api/client';
import { parse, type LoadedMesh } from '../view/glb';
import type { Facing } from './facades';
import type { Ranges } from './matters';
import { same, writeAll } from './values';

export interface Facts {
  triangles: number;
  vertices: number;
  bytes: number;
  height: number;
  canopy_radius: number;
  counts: Record<string, number>;
  measures: Record<string, number>; // metres
  switch_distances: number[];
  ranges: Ranges;
  changed: Record<string, [number, number]>;
  slots: string[]; // of the materials whose maps can be replaced
  collider: { capsules: number[][]; pieces: number[][][]; faces: number[][][] };
  lamps: Lamp[];
  faces: Facing[]; // that are filled
  fillings: Record<string, string[]>; // with what
}

export interface Made {
  mesh: LoadedMesh;
  facts: Facts;
}

/** What stands beside the present draft for comparison. */
export interface Held {
  label: string;
  parameters: Values;
  seed: number;
  made: Made;
}

/** Images of one's own: `slot.map` to a hash. */
export type Images = Record<string, string>;

export const LEVELS = ['near', 'middle', 'far', 'card'];
export type Tray = 'seeds' | 'cousins' | 'versions' | 'faces';

/** Make an asset and load what comes back. */
export async function make(
  scene: string,
  kind: string,
  parameters: Values,
  seed: number,
  detail: number,
  images: Images = {},
  signal?: AbortSignal,
  told?: (progress: Progress, so_far?: Made) => void,
): Promise<Made> {
  const init = {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ kind, parameters, seed, detail, scene, images }),
    signal,
  };
  const made = async (data: ArrayBuffer): Promise<Made> => {
    const mesh = await parse(data);
    return { mesh, facts: mesh.extras as unknown as Facts };
  };
  if (!told) return made(await bytes('/api/make', init));
  let latest = 0; // pictures come in turn, and none after what is made
  const data = await toldBytes('/api/make/told', init, (progress, picture) => {
    told(progress);
    if (!picture) return;
    const own = ++latest;
    void made(picture).then((m) => (own === latest && !signal?.aborted ? told(progress, m) : m.mesh.dispose()));
  });
  latest = 0;
  return made(data);
}

export class BenchState {
  id = $state(''); // of the asset
  kind = $state('');
  parameters = $state.raw<Values>({});
  images = $state.raw<Images>({});
  seed = $state(1);
  detail = $state(0);
  made = $state.raw<Made | null>(null);
  busy = $state(false);
  /** Whether the kind takes its time: it is told how far it is, and begun anew rather than waited for. */
  slow = $state(false);
  progress = $state.raw<Progress | null>(null);
  /** What it is while it is being made. */
  soFar = $state.raw<Made | null>(null);
  /** Whether the kind makes one skin of its parts. */
  skin = $state(false);
  stopped = $state(false); // by the person
  failure = $state('');
  /** The cell of a face that is chosen, in the view and in the elevation. */
  picked = $state.raw<{ face: string; cell: number } | null>(null);
  ladder = $state.raw<LevelFacts[] | null>(null);
  tray = $state<Tray>('seeds');
  seeds = $state.raw<{ seed: number; picture: string | null; triangles: number }[]>([]);
  seedsFrom = $state(0);
  cousins = $state.raw<Cousin[]>([]);
  walk = $state(1);
  strength = $state(0.4);
  walking = $state(false);
  locked = $state.raw<ReadonlySet<string>>(new Set());
  trayFailure = $state('');
  held = $state.raw<Held | null>(null);
  lit = $state.raw<string[]>([]); // ranges that the hovered parameter acts on
  /** Ages that are shown instead of the kept one while growth is played. */
  playing = $state(false);
  private turn = 0;
  private last = '';
  private running = new AbortController();
  private wait = 0;
  private left = false;
  private trayRun = new AbortController();
  private ladderRun = new AbortController();

  constructor(readonly scene: string) {}

  /** Begin with an asset as it is kept. */
  take(id: string, kind: string, parameters: Values, seed: number, images: Images) {
    if (this.id !== id) this.made = null;
    this.id = id;
    this.kind = kind;
    this.parameters = parameters;
    this.images = images;
    this.seed = seed;
  }

  /** Change parameters without keeping them; the newest request wins. */
  draft(changes: Values) {
    const next = writeAll(this.parameters, changes);
    if (same(next, this.parameters)) return;
    this.parameters = next;
    clearTimeout(this.wait);
    if (this.slow) this.wait = window.setTimeout(() => void this.make(), 300);
    else void this.make();
  }

  /** What is being made is not waited for; what was made stays. */
  halt() {
    this.stopped = true;
    this.last = '';
    this.running.abort();
  }

  async make() {
    const key = JSON.stringify([this.kind, this.parameters, this.seed, this.detail, this.images]);
    if (key === this.last) return;
    this.last = key;
    const turn = ++this.turn;
    // let one request finish while the newest waits, so that a fast drag still shows every result there is time for
    if (this.busy) {
      if (this.slow) this.running.abort();
      return;
    }
    this.busy = true;
    this.stopped = false;
    this.running = new AbortController();
    const { signal } = this.running;
    const { scene, kind, parameters, seed, detail, images } = this;
    const told = this.slow
      ? (p: Progress, soFar?: Made) => {
          this.progress = p;
          if (soFar) this.soFar = soFar;
        }
      : undefined;
    try {
      const made = await make(scene, kind, parameters, seed, detail, images, signal, told);
      if (signal.aborted) made.mesh.dispose();
      else this.made = made;
      this.failure = '';
    } catch (error) {
      if (!signal.aborted) this.failure = said(error);
    }
    this.busy = false;
    this.progress = this.soFar = null;
    if (this.left || turn === this.turn) return;
    this.last = '';
    await this.make();
  }

  /** Once nothing is being made any more. */
  async settled(): Promise<void> {
    while (this.busy) await new Promise((wake) => setTimeout(wake, 15));
  }

  /** Measure all levels of detail. */
  async measure() {
    this.ladderRun.abort();
    this.ladderRun = new AbortController();
    const { signal } = this.ladderRun;
    const { kind, parameters, seed, scene, images } = this;
    try {
      const levels = await take<LevelFacts[]>(
        api.POST('/api/bench/levels', { body: { kind, parameters, seed, scene, images, detail: 0 }, signal }),
      );
      if (!signal.aborted) this.ladder = levels;
    } catch {
      // the failure is shown where the asset is
    }
  }

  /** Fill the tray that is open. */
  async fillTray() {
    this.trayRun.abort();
    this.trayRun = new AbortController();
    const { signal } = this.trayRun;
    try {
      if (this.tray === 'seeds') await this.fillSeeds(signal);
      this.trayFailure = '';
    } catch (error) {
      if (!signal.aborted) this.trayFailure = said(error);
    }
  }

  /** Eight seeds of the present parameters: coarse at once, then as they are. */
  private async fillSeeds(signal: AbortSignal) {
    const wanted = Array.from({ length: 8 }, (_, k) => this.seedsFrom + k + 1);
    const old = this.seeds;
    this.seeds = wanted.map((seed, k) =>
      old[k]?.seed === seed ? (old[k] as (typeof old)[0]) : { seed, picture: null, triangles: 0 },
    );
    const { kind, parameters, scene, images } = this;
    for (const detail of [2, 0]) {
      const found = await take<Picture[]>(
        api.POST('/api/bench/pictures', { body: { kind, parameters, scene, images, detail, seeds: wanted }, signal }),
      );
      if (signal.aborted) return;
      this.seeds = found;
    }
  }

  /** Eight recipes about the present one. */
  async findCousins() {
    this.trayRun.abort();
    this.trayRun = new AbortController();
    const { signal } = this.trayRun;
    this.walking = true;
    const { kind, parameters, seed, scene, images, strength, walk } = this;
    try {
      const found = await take<Cousin[]>(
        api.POST('/api/bench/cousins', {
          body: { kind, parameters, seed, scene, images, strength, walk, locked: [...this.locked] },
          signal,
        }),
      );
      if (!signal.aborted) this.cousins = found;
      this.trayFailure = '';
    } catch (error) {
      if (!signal.aborted) this.trayFailure = said(error);
    }
    this.walking = false;
  }

  lock(path: string) {
    const next = new Set(this.locked);
    if (!next.delete(path)) next.add(path);
    this.locked = next;
  }

  /** The greatest fullness that keeps within a number of triangles. */
  async fit(triangles: number): Promise<{ fullness: number; triangles: number }> {
    const { kind, parameters, seed, scene, images } = this;
    return take(api.POST('/api/bench/fit', { body: { kind, parameters, seed, scene, images, triangles } }));
  }

  /** Put what is shown, or another version or seed, beside the draft; null takes it away. */
  async hold(what: { label: string; parameters: Values; seed: number; images?: Images } | null) {
    if (!what) {
      this.held = null;
      return;
    }
    try {
      const made = await make(this.scene, this.kind, what.parameters, what.seed, 0, what.images ?? this.images);
      this.held = { ...what, made };
    } catch (error) {
      this.failure = said(error);
    }
  }

  stop() {
    this.playing = false;
    clearTimeout(this.wait);
    this.left = true;
    for (const run of [this.running, this.trayRun, this.ladderRun]) run.abort();
  }
}
