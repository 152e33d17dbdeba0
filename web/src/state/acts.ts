/** Which elements of a plant a parameter acts on: names of the ranges that the service gives with a mesh. */
import type { Row } from '../api/client';

const LIMBS = ['first', 'second', 'third', 'fourth', 'fifth', 'sixth', 'seventh'];
const WOOD = ['stems', ...LIMBS, 'limbs', 'twigs', 'roots'];
const TIERS = ['low', 'middle', 'high', 'top'];
const BY_GROUP: Record<string, string[]> = {
  Habit: ['stems'],
  Crown: LIMBS,
  Leaves: ['leaves', 'blades'],
  Leaf: ['leaves', 'blades', ...TIERS],
  Roots: ['roots', 'stems'],
  Skin: WOOD,
  Heads: ['heads'],
  Blades: ['blades'],
  Twigs: ['twigs'],
};
const BY_NAME: Record<string, string[]> = {
  height: [],
  age: [],
  limbs: ['limbs'],
  stems: ['stems'],
  stem_thickness: ['stems', 'limbs'],
};

export type Ranges = Record<string, [number, number]>;

/** Names of the ranges that `row` acts on; none when it acts on the whole. */
export function actsOn(row: Row, ranges: Ranges): string[] {
  const head = row.path.split('.')[0] ?? '';
  const wanted = BY_NAME[row.path] ?? (head in ranges ? [head] : (BY_GROUP[row.group] ?? []));
  return wanted.filter((name) => (ranges[name]?.[1] ?? 0) > 0);
}
