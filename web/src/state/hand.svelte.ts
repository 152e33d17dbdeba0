/** What is being set down by hand: which asset, and how it is turned, sized, lifted, and in which of its variants. */
import type { Layer, Settings } from '../api/client';
import { ruled } from '../controls/ruler';
import { assetsIn, mixed } from './mix';
import type { WheelKey } from '../view/tools/tool';

/** A placement as it is kept. */
export interface SetDown {
  id: string;
  asset: string;
  seed: number;
  at: [east: number, south: number];
  lift: number;
  turn: number;
  up: [east: number, south: number];
  size: number;
  tall: number;
  mirrored?: boolean;
}

/** What was done to a placement of a rule. */
export interface Touch {
  id: string;
  of?: string | null; // the asset that it was of
  removed?: boolean;
  at?: [east: number, south: number] | null;
  lift?: number | null;
  turn?: number | null;
  up?: [east: number, south: number] | null;
  size?: number | null;
  tall?: number | null;
  asset?: string | null;
  seed?: number | null;
  ground?: number | null; // the level that its height is measured from, when it is loose from the ground
}

export type Drawn = 'turn' | 'size' | 'lift' | 'which';
const SIZES: [number, number] = [0.85, 1.15];

/** What each key does with the wheel. */
export const OF_KEY: Record<WheelKey, Drawn> = { t: 'turn', y: 'size', u: 'lift', i: 'which' };
const tidy = (v: number) => Math.round(v * 1000) / 1000;

class Hand {
  /** Whether it is in hand. */
  on = $state(false);
  asset = $state('');
  turn = $state(0); // degrees
  size = $state(1);
  lift = $state(0); // metres
  which = $state(0); // number of a seed
  /** Square to the surface; else upright. */
  square = $state(false);
  /** What the next one has as well, and is not drawn anew. */
  pins = $state<Record<Drawn, boolean>>({ turn: false, size: false, lift: false, which: false });
  /** By how much one notch of the wheel changes them. */
  steps = $state({ turn: 15, size: 5, lift: 10 }); // degrees, per cent, centimetres

  constructor(private readonly random: () => number = Math.random) {}

  /** Values of the next one: those that are not pinned are drawn. */
  draw() {
    const { pins, random } = this;
    if (!pins.turn) this.turn = Math.floor(360 * random());
    if (!pins.size) this.size = tidy(SIZES[0] + (SIZES[1] - SIZES[0]) * random());
    if (!pins.lift) this.lift = 0;
    if (!pins.which) this.which = Math.floor(1000 * random());
  }

  /** The four as they are by themselves. */
  reset() {
    this.turn = this.lift = this.which = 0;
    this.size = 1;
  }

  /** The wheel with one of the keys; `steps` is less than one where it is to be fine. */
  change(what: Drawn, steps: number) {
    if (what === 'turn') this.turn = tidy((((this.turn + steps * this.steps.turn) % 360) + 360) % 360);
    if (what === 'size')
      this.size = tidy(Math.min(20, Math.max(0.05, this.size * (1 + this.steps.size / 100) ** steps)));
    if (what === 'lift') this.lift = tidy(Math.min(500, Math.max(-500, this.lift + (steps * this.steps.lift) / 100)));
    if (what === 'which') this.which += Math.sign(steps);
  }

  /** The seed of an asset that has `seeds`. */
  seedOf(seeds: number[]): number {
    const n = seeds.length;
    return seeds[((this.which % n) + n) % n] ?? 1;
  }

  /** Take up one that stands. */
  takeUp(thing: SetDown, seeds: number[]) {
    this.asset = thing.asset;
    this.turn = thing.turn;
    this.size = thing.size;
    this.lift = thing.lift;
    this.which = Math.max(0, seeds.indexOf(thing.seed));
  }
}

export const hand = new Hand();

/** The assets of a layer's mix, those of kept mixes by themselves. */
export const handy = (settings: Settings | undefined, layer: Layer) => [
  ...new Set(mixed(layer).flatMap((id) => assetsIn(settings, id))),
];

/** Take something of a layer in hand. */
export function begin(settings: Settings | undefined, layer: Layer | undefined) {
  const there = layer ? handy(settings, layer) : [];
  if (!there.includes(hand.asset)) hand.asset = there[0] ?? '';
  hand.draw();
  hand.on = true;
}

export { Hand };

type Range = [low: number, high: number];
const row = (path: string, title: string, hard: Range, soft: Range, unit: string, step: number, start: number) =>
  ruled({ path: `hand.${path}`, title, hard, soft, unit, step, start });

export const HAND_ROWS = {
  turn: row('turn', 'Turn', [0, 360], [0, 360], '°', 1, 0),
  size: row('size', 'Size', [5, 2000], [30, 200], '%', 1, 100),
  lift: row('lift', 'Lift', [-500, 500], [-2, 4], 'm', 0.01, 0),
  steps: {
    turn: row('steps.turn', 'Turn by', [0.1, 90], [1, 45], '°', 0.1, 15),
    size: row('steps.size', 'Size by', [0.1, 50], [1, 20], '%', 0.1, 5),
    lift: row('steps.lift', 'Lift by', [0.1, 200], [1, 50], 'cm', 0.1, 10),
  },
};
