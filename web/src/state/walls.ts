/** Walls in words, and places along them. */
import type { BricksValues, WallValues } from '../api/client';
import { buffer } from '../view/blobs';
import { shown } from './values';

export type Opening = NonNullable<WallValues['openings']>[number];
export type Line = [x: number, z: number][];

/** What becomes of a wall where a path crosses it. */
export function wallHead(p: { crossed: WallValues['crossed']; clear: number }): string {
  if (p.crossed === 'none') return 'it goes on';
  if (p.crossed === 'open') return 'it is open to the sky';
  return `there is ${p.crossed === 'arch' ? 'an arch' : 'a lintel'} ${shown(p.clear, 0.05)} m up`;
}

/** What hangs in openings. */
export const gateWords = (gate: WallValues['gate']) =>
  gate === 'none' ? 'no gate' : gate === 'bars' ? 'a gate of bars' : 'a gate of boards';

const BONDS: Record<BricksValues['bond'], string> = {
  running: 'half over half',
  third: 'by thirds',
  stack: 'stacked',
  header: 'as headers',
  english: 'in English bond',
  garden: 'in garden wall bond',
  flemish: 'in Flemish bond',
  pierced: 'pierced',
};

/** How the blocks of a run are laid. */
export function bondWords(p: Pick<BricksValues, 'bond' | 'rows' | 'turn_even' | 'turn_odd'>): string {
  if (!['running', 'third', 'stack', 'pierced'].includes(p.bond)) return BONDS[p.bond];
  const deep = p.rows > 1 ? `, ${p.rows} rows deep` : '';
  return `${BONDS[p.bond]}${deep}${p.turn_even || p.turn_odd ? ', askew' : ''}`;
}

export function wallRuin(percent: number): string {
  if (percent <= 0) return 'All of it stands';
  return percent < 25 ? 'Some of it has fallen' : percent < 60 ? 'Much of it has fallen' : 'Little of it is left';
}

/** The points of a curve that a layer gives. */
export async function lineAt(address: string): Promise<Line> {
  const flat = new Float32Array(await buffer(address));
  return Array.from({ length: flat.length / 2 }, (_, k) => [flat[2 * k]!, flat[2 * k + 1]!]);
}

/**
 * Outlines as paths to draw, one for each of five tones.
 *
 * `stones`: of each its tone, then its corners, along and up; `scale`: pixels of one unit; `base`: pixels down to a height of 0;
 * `mirror`: pixels of the whole, where it is seen from the other side.
 */
export function stonePaths(stones: number[][], scale: number, base: number, mirror: number | null): string[] {
  const out: string[][] = [[], [], [], [], []];
  for (const [tone = 0, ...at] of stones) {
    let d = '';
    for (let k = 0; k + 1 < at.length; k += 2) {
      const x = at[k]! * scale;
      d += `${k ? 'L' : 'M'}${(mirror === null ? x : mirror - x).toFixed(1)} ${(base - at[k + 1]! * scale).toFixed(1)}`;
    }
    out[tone]?.push(`${d}Z`);
  }
  return out.map((parts) => parts.join(''));
}

/** Metres along a line of each of its points. */
function chain(line: Line): number[] {
  let sum = 0;
  return line.map(([x, z], k) => {
    const before = line[k - 1];
    if (before) sum += Math.hypot(x - before[0], z - before[1]);
    return sum;
  });
}

/** Metres along a line of its place nearest to a point. */
export function alongOf(line: Line, [x, z]: [number, number]): number {
  const at = chain(line);
  let best = Infinity;
  let found = 0;
  for (let k = 0; k + 1 < line.length; k++) {
    const [a, b] = [line[k]!, line[k + 1]!];
    const [dx, dz] = [b[0] - a[0], b[1] - a[1]];
    const long = dx * dx + dz * dz || 1;
    const t = Math.min(1, Math.max(0, ((x - a[0]) * dx + (z - a[1]) * dz) / long));
    const away = Math.hypot(a[0] + t * dx - x, a[1] + t * dz - z);
    if (away < best) [best, found] = [away, at[k]! + t * Math.sqrt(long)];
  }
  return found;
}

/** The place so many metres along a line, to a centimetre. */
export function placeAt(line: Line, metres: number): [number, number] {
  const at = chain(line);
  const k = Math.max(
    0,
    Math.min(
      line.length - 2,
      at.findLastIndex((s) => s <= metres),
    ),
  );
  const [a, b] = [line[k]!, line[k + 1]!];
  const t = Math.min(1, Math.max(0, (metres - at[k]!) / (at[k + 1]! - at[k]! || 1)));
  const near = (v: number) => Math.round(100 * v) / 100;
  return [near(a[0] + t * (b[0] - a[0])), near(a[1] + t * (b[1] - a[1]))];
}

/** An id that none of the openings has. */
export function freeId(openings: { id: string }[]): string {
  let k = openings.length + 1;
  while (openings.some((o) => o.id === `o${k}`)) k += 1;
  return `o${k}`;
}
