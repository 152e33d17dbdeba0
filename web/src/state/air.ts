/** Bodies of air, in words. */
import type { AirValues } from '../api/client';
import { shown } from './values';

const m = (v: number) => shown(v, 0.1);

/** Where things hang. */
export function bodyWords(p: Pick<AirValues, 'form' | 'wide' | 'tall' | 'deep' | 'points'>): string {
  const one = p.points.length === 1;
  if (p.form === 'tube' && !one) return `a tube ${m(p.wide)} m wide and ${m(p.tall)} m high along its points`;
  const body = p.form === 'box' ? 'box' : 'ball';
  const where = one ? `a ${body}` : `a ${body} at each of ${p.points.length} points`;
  return `${where}, ${m(p.wide)} × ${m(p.deep)} m and ${m(p.tall)} m high`;
}

/** Where in the body most of them are. */
export function biasWords(bias: number): string {
  if (!bias) return 'spread evenly';
  return bias > 0 ? `${bias} % towards the rim` : `${-bias} % towards the middle`;
}
