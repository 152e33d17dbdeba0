/** How far the parts of a bake are. */
import type { components } from '../api/schema';

export type BakePart = components['schemas']['PartOut'];

export interface PartGroup {
  name: string;
  ready: number;
  all: number;
  /** What it cannot begin without. */
  waits: string;
}

const TILE = /^tiles\/(?:(\d+)-)?(\d+)-(\d+)\.glb$/;
const GROUPS: [name: string, of: RegExp, waits: string][] = [
  ['Levels', /^levels of /, ''],
  ['Meshes', /^(shapes|meshes|obj|usd) of /, ''],
  ['Cards', /^card of /, ''],
  ['Ground and table', /^(ground|height field|splat maps|placements\..*)$/, ''],
  ['Tiles', TILE, 'the meshes that stand in them and the ground'],
  ['Tiles of the stage', /^usd\/tiles\//, 'the meshes that stand in them and the ground'],
  ['Scene', /^(scene\.glb|tileset\.json|usd\/scene\.usdc|manifest\.json)$/, 'all others'],
];

/** The parts by what they are; those of which there are none are left out. */
export function groupsOf(parts: BakePart[]): PartGroup[] {
  return GROUPS.flatMap(([name, of, waits]) => {
    const own = parts.filter((p) => of.test(p.name));
    const ready = own.filter((p) => p.state !== 'waiting').length;
    return own.length ? [{ name, ready, all: own.length, waits }] : [];
  });
}

export interface TileSquare {
  column: number;
  /** From the north. */
  row: number;
  part: BakePart;
}

/** The smallest tiles, as they lie on the map, and how many there are a side. */
export function squaresOf(parts: BakePart[]): { side: number; squares: TileSquare[] } {
  const found = parts.flatMap((part) => {
    const of = TILE.exec(part.name);
    return of
      ? [{ level: of[1] === undefined ? null : Number(of[1]), column: Number(of[2]), row: Number(of[3]), part }]
      : [];
  });
  const deepest = Math.max(-1, ...found.map((f) => f.level ?? -1));
  const shown = found.filter((f) => (f.level ?? -1) === deepest);
  if (deepest >= 0) {
    const side = 2 ** deepest; // rows of nested tiles count from the south
    return { side, squares: shown.map(({ column, row, part }) => ({ column, row: side - 1 - row, part })) };
  }
  const side = 1 + Math.max(-1, ...shown.map((f) => Math.max(f.column, f.row)));
  return { side, squares: shown.map(({ column, row, part }) => ({ column, row, part })) };
}

/** What has just been told of parts, put in; null where they must be asked for anew. */
export function withFresh(parts: BakePart[], fresh: number[], done: number): BakePart[] | null {
  const own = new Set(fresh);
  const out = parts.map((p, k) => (own.has(k) && p.state === 'waiting' ? { ...p, state: 'made' } : p));
  return out.filter((p) => p.state !== 'waiting').length === done ? out : null;
}

/** Those that took longest, the slowest first. */
export const slowest = (parts: BakePart[], most: number) =>
  parts
    .filter((p) => p.state === 'made' && p.seconds >= 0.005)
    .sort((a, b) => b.seconds - a.seconds)
    .slice(0, most);
