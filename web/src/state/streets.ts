/** Streets in words. */
import type { StreetValues } from '../api/client';

export const STREET_SIDES: Record<StreetValues['sides'], string> = {
  both: 'on both sides',
  left: 'on its left',
  right: 'on its right',
  alternate: 'on its sides by turns',
};

export function pavedWords(p: Pick<StreetValues, 'paved' | 'kerb'>): string {
  if (p.paved === 'none') return 'as the path is';
  return `paved with ${p.paved}${p.kerb ? ' between kerbs' : ''}`;
}
