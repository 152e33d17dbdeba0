/** What stands along paths, in words; and its strip map. */
import type { AlongValues, StripMap } from '../api/client';
import { direction } from './conditions';

export const SPREAD: Record<string, string> = {
  even: 'evenly',
  fitted: 'evenly, fitted to its ends,',
  jittered: 'jittered, about',
};

export const SIDES: Record<string, string> = {
  both: 'on both sides',
  left: 'on its left',
  right: 'on its right',
  alternate: 'left and right by turns',
  middle: 'in its middle',
};

export function facingWords(p: Pick<AlongValues, 'facing' | 'azimuth' | 'turn'>): string {
  if (p.turn === 360) return 'any way';
  const said: Record<string, string> = {
    along: 'along it',
    across: 'away from it',
    outwards: 'as the ground faces',
    point: 'a point',
    fixed: direction(p.azimuth),
  };
  return `${said[p.facing] ?? p.facing}${p.turn ? `, turned by up to ${p.turn}°` : ''}`;
}

/** Metres between the marks of a chainage so long: 1, 2 or 5 times a power of ten, at most `most` marks. */
export function chainageStep(length: number, most = 8): number {
  const least = Math.max(length / most, 1e-3);
  const power = 10 ** Math.floor(Math.log10(least));
  return ([1, 2, 5, 10].find((k) => k * power >= least) ?? 10) * power;
}

/** Metres to the side that a strip map shows: all that stands, or a lane of two metres. */
export function halfWidth(strip: Pick<StripMap, 'places'>): number {
  return Math.max(2, ...strip.places.map(([, aside]) => Math.abs(aside ?? 0)));
}

/** How fast each turns, in words; nothing where it does not. */
export function spinWords(p: Pick<AlongValues, 'spin' | 'spin_sides' | 'spin_front'>): string {
  const speed = Math.hypot(p.spin ?? 0, p.spin_sides ?? 0, p.spin_front ?? 0);
  if (!speed) return '';
  const seconds = 360 / speed;
  return `once in ${seconds < 10 ? seconds.toFixed(1) : Math.round(seconds)} s`;
}
