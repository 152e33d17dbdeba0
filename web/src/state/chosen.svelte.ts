/** Placements of a layer that are chosen, to be changed together. */
import type { components } from '../api/schema';
import { ruled } from '../controls/ruler';
import type { Stood } from '../view/tools/tool';

export type Change = Partial<components['schemas']['Change']>;

/** Placements of a layer, and what is done to all of them. */
export interface Adjusting {
  op: 'adjust';
  id: string; // of the layer
  things: string[];
  change: Change;
}

/** As many as the service changes at once. */
export const MOST_CHOSEN = 5000;

class Chosen {
  /** Whether the tool is in hand. */
  on = $state(false);
  /** What is drawn with Shift takes in. */
  form = $state<'lasso' | 'rectangle'>('lasso');
  things = $state.raw<Stood[]>([]);
  /** Numbers add to what each has; else they are the same for all. */
  relative = $state(true);
  axes = $state<'scene' | 'own'>('scene');
  about = $state<'each' | 'middle'>('each');

  /** Take these, besides those that are chosen already; told where they are too many. */
  add(more: Stood[]): string {
    const known = new Set(this.things.map((t) => t.id));
    const all = [...this.things, ...more.filter((t) => !known.has(t.id))];
    this.things = all.slice(0, MOST_CHOSEN);
    return all.length > MOST_CHOSEN ? `no more than ${MOST_CHOSEN.toLocaleString('en')} can be chosen at once` : '';
  }

  /** In if it is out, out if it is in. */
  flip(one: Stood) {
    const rest = this.things.filter((t) => t.id !== one.id);
    this.things = rest.length < this.things.length ? rest : [...rest, one];
  }

  /** How many there are of each asset, most first. */
  get counts(): [asset: string, count: number][] {
    const out = new Map<string, number>();
    for (const t of this.things) out.set(t.asset, (out.get(t.asset) ?? 0) + 1);
    return [...out].sort((a, b) => b[1] - a[1]);
  }

  /** The middle of all, on the map. */
  get middle(): [x: number, z: number] {
    const [xs, zs] = [this.things.map((t) => t.at.x), this.things.map((t) => t.at.z)];
    const half = (v: number[]) => 0.5 * (Math.min(...v) + Math.max(...v));
    return [half(xs), half(zs)];
  }

  /** With how the numbers are meant. */
  meant(change: Change): Change {
    return { relative: this.relative, axes: this.axes, about: this.about, ...change };
  }
}

/** Degrees that a thing leans to the east and to the south, by which way is up for it: 1 is level, 2 upside down. */
export function leanOf([east, south]: [number, number]): [number, number] {
  const long = Math.hypot(east, south);
  const upright = Math.asin(Math.max(0, Math.min(long, 2 - long)));
  const angle = ((long > 1 ? Math.PI - upright : upright) * 180) / Math.PI;
  return long ? [(angle * east) / long, (angle * south) / long] : [0, 0];
}

export const chosen = new Chosen();
export { Chosen };

type Range = [low: number, high: number];
const row = (path: string, title: string, hard: Range, soft: Range, unit: string, step: number, start: number) =>
  ruled({ path: `chosen.${path}`, title, hard, soft, unit, step, start });

export const RELATIVE_ROWS = {
  east: row('east', 'East', [-500, 500], [-10, 10], 'm', 0.01, 0),
  south: row('south', 'South', [-500, 500], [-10, 10], 'm', 0.01, 0),
  right: row('right', 'To its right', [-500, 500], [-10, 10], 'm', 0.01, 0),
  front: row('front', 'To its front', [-500, 500], [-10, 10], 'm', 0.01, 0),
  lift: row('lift', 'Lift', [-500, 500], [-2, 4], 'm', 0.01, 0),
  leanEast: row('lean.east', 'Lean east', [-180, 180], [-30, 30], '°', 0.5, 0),
  leanSouth: row('lean.south', 'Lean south', [-180, 180], [-30, 30], '°', 0.5, 0),
  leanRight: row('lean.right', 'Lean to its right', [-180, 180], [-30, 30], '°', 0.5, 0),
  leanFront: row('lean.front', 'Lean to its front', [-180, 180], [-30, 30], '°', 0.5, 0),
  turn: row('turn', 'Turn', [-360, 360], [-180, 180], '°', 1, 0),
  size: row('size', 'Size', [5, 2000], [50, 200], '%', 1, 100),
};
export const ABSOLUTE_ROWS = {
  east: row('at.east', 'East', [-4096, 4096], [-200, 200], 'm', 0.01, 0),
  south: row('at.south', 'South', [-4096, 4096], [-200, 200], 'm', 0.01, 0),
  lift: row('at.lift', 'Lift', [-500, 500], [-2, 4], 'm', 0.01, 0),
  leanEast: row('at.lean.east', 'Lean east', [-90, 90], [-30, 30], '°', 0.5, 0),
  leanSouth: row('at.lean.south', 'Lean south', [-90, 90], [-30, 30], '°', 0.5, 0),
  turn: row('at.turn', 'Turn', [0, 360], [0, 360], '°', 1, 0),
  size: row('at.size', 'Size', [5, 2000], [30, 200], '%', 1, 100),
};
