/** Paths in words. */
import type { Values } from '../api/client';

export function pathText(p: Values, length: number): string {
  const what = p.surface === 'none' ? 'A line' : `A path of ${String(p.surface)}`;
  const points = ((p.points ?? []) as unknown[]).length;
  const flows = p.flows === 'no' || !p.flows ? '' : ' and never rises';
  const shape =
    p.shapes === 'bed'
      ? ` It cuts a bed ${Number(p.depth)} m deep${flows}.`
      : p.shapes === 'causeway'
        ? ` It lies on a causeway ${Number(p.crown)} m high${flows ? ' that never rises' : ''}.`
        : '';
  return `${what}, ${Number(p.width)} m wide and ${Math.round(length)} m long, through ${points} points.${shape}`;
}
