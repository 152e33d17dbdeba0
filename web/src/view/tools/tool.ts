/** Tools: at most one is in hand in a view. It knows places and values; pointer, keys and camera are its host's. */
import type { Adjusting } from '../../state/chosen.svelte';
import type { Edit } from '../../state/editQueue';

/** Metres. */
export interface Point {
  x: number;
  y: number;
  z: number;
}

/** Pixels from the top left of the view. */
export interface Spot {
  x: number;
  y: number;
}

/** Something in the view to take in hand. */
export interface Mark {
  key: string;
  label: string;
  at: Point;
  /** Pressed, it becomes a new point here. */
  adds?: boolean;
}

/** A line drawn over the view. */
export interface Stroke {
  points: Point[];
  dashed?: boolean;
}

/** Words at a place of the view. */
export interface Label {
  text: string;
  at: Point;
}

/** Keys that act with the wheel while they are held. */
export type WheelKey = 't' | 'y' | 'u' | 'i';

export type Hint = [keys: string, what: string];

/** Of tools that have something in hand. */
export const BY_WHEEL: Hint = ['T Y U I', 'with the wheel: turn, size, lift, which'];

export type Gesture =
  | { kind: 'hover' | 'click'; spot: Spot }
  | { kind: 'press'; mark: string; spot: Spot }
  | { kind: 'drag' | 'release'; spot: Spot }
  /** The right button, without moving. */
  | { kind: 'lift'; spot: Spot };

export type KeyStroke =
  | { kind: 'nudge'; mark: string; right: number; up: number; fine: boolean }
  | { kind: 'remove' | 'add'; mark: string }
  | { kind: 'back' };

/** What a gesture came to: nothing; something to show; a draft to show what it would come to; edits to make. */
export type Outcome = 'nothing' | 'shown' | 'draft' | 'commit';

export interface Tool {
  readonly id: string;
  /** Of the pointer over the view, as CSS names it. */
  readonly cursor: string;
  /** Takes points of the view; then the keyboard has a cross to set them with. */
  readonly sets: boolean;
  /** A drag over the view is its own, and does not turn the camera. */
  readonly paints?: boolean;
  /** So is one with Shift. */
  readonly freehand?: boolean;
  /** While it is in hand, other keys than its own do nothing. */
  readonly alone: boolean;
  hints(): Hint[];
  marks(): Mark[];
  strokes(): Stroke[];
  labels?(): Label[];
  pointer(gesture: Gesture): Outcome;
  key(stroke: KeyStroke): Outcome;
  /** The wheel is turned by `steps` while a key is held; not there where it does nothing. */
  wheel?(key: WheelKey, steps: number): Outcome;
  /** The mark that should have the focus after a key. */
  focus?: string;
  /** What is changing now: a parameter's path and its value. */
  draft(): { path: string; value: unknown } | null;
  /** The edits that it came to. Raises an error in plain words where something is still missing. */
  commit(): (Edit | Adjusting)[];
  /** In place of a draft: placements that are being changed together. */
  adjusting?(): Adjusting | null;
  /** What it sets has been changed elsewhere. */
  again?(): Outcome;
  /** Whether it holds something that Escape puts back. */
  readonly holds?: boolean;
  /** As before the gesture. */
  cancel(): void;
}

/** A spot of whatever can be stood on. */
export interface Seat {
  point: Point;
  /** Square to it; a unit vector. */
  normal: Point;
}

/** A placement as it stands. */
export interface Stood {
  id: string;
  at: Point;
  /** Of its variant. */
  asset: string;
  seed: number;
  turn: number; // degrees clockwise from north that it faces, before it is tilted
  up: [east: number, south: number]; // parts of the direction that is up for it
  size: number;
  tall: number; // besides its size
}

/** What tools on the board stand on. */
export interface Terrain {
  /** Where the ground lies under a spot of the view. */
  groundAt(spot: Spot): Point | null;
  height(x: number, z: number): number;
  /** What is under a spot of the view that things can be set down on, but for placements of a layer that `but` leaves out. */
  seatAt(spot: Spot, layer: string, but: (at: Point) => boolean): Seat | null;
  /** The placement of a layer that is under a spot of the view. */
  standsAt(spot: Spot, layer: string): Stood | null;
  /** A layer's curves and outlines on the ground. */
  lines(layer: string): Point[][];
  /** Whether points lie where the pointer is, above the ground, too. */
  aloft?: boolean;
}

/** The same ground for a tool that points at things: what stands over it is under the pointer, too, but for placements of `layer`. */
export const withThings = (terrain: Terrain, layer: string): Terrain => ({
  groundAt: (spot) => terrain.seatAt(spot, layer, () => true)?.point ?? null,
  height: (x, z) => terrain.height(x, z),
  seatAt: (spot, of, but) => terrain.seatAt(spot, of, but),
  standsAt: (spot, of) => terrain.standsAt(spot, of),
  lines: (of) => terrain.lines(of),
  aloft: true,
});

export type Flat = [x: number, z: number];

/** A point: east and south, and what it has of its own besides. */
export type Knot = [x: number, z: number, ...own: number[]];

/** Centimetres. */
export const tidy = (v: number) => Math.round(v * 100) / 100;

/** A tenth of a millimetre. */
export const fine = (v: number) => Math.round(v * 10000) / 10000;

const CORNERS = 56; // of a circle

/** The points of a circle, the first once more at its end. */
export const round = ([x, z]: Flat, radius: number): Flat[] =>
  Array.from({ length: CORNERS + 1 }, (_, k) => {
    const turn = (2 * Math.PI * k) / CORNERS;
    return [x + radius * Math.cos(turn), z + radius * Math.sin(turn)];
  });

/** A level ring about a point, a little above it. */
export const ringAbout = ({ x, y, z }: Point, radius: number): Point[] =>
  round([x, z], radius).map(([east, south]) => ({ x: east, y: y + 0.03, z: south }));

const FOOT = 0.25; // metres above the ground, below which a point is at the foot of what stands there

/** The point of a layer that lies there: where points may be aloft, with its height above the ground. */
export function knotAt(terrain: Terrain, { x, y, z }: Point): Knot {
  const up = terrain.aloft ? tidy(y - terrain.height(x, z)) : 0;
  return up > FOOT ? [tidy(x), tidy(z), up] : [tidy(x), tidy(z)];
}

/** A point of the ground, a little above it so that it is not hidden; one aloft is where it is. */
export const lifted = (terrain: Terrain, [x, z, up = 0]: Knot): Point => ({
  x,
  y: terrain.height(x, z) + ((terrain.aloft && up) || 0.2),
  z,
});
