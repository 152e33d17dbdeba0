/** Climbers in words. */
import type { ClimberValues } from '../api/client';

type Starts = Pick<ClimberValues, 'starts' | 'points' | 'share'>;

export function startsWords(p: Starts): string {
  if (p.starts === 'foot') return `from ${p.share} % of its foot`;
  const many = p.points.length;
  return many === 0 ? 'nowhere yet' : many === 1 ? 'at one point' : `at ${many} points`;
}
