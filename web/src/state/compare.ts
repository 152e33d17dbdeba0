/** What two releases differ in, in words. */
import type { Compared, Gains, Release } from '../api/client';
import { big, size } from './values';

type LayerChange = Compared['layers'][number];
type Weight = Compared['weight'][number];

const said = (value: unknown): string => {
  if (value === null || value === undefined) return 'default';
  if (typeof value === 'boolean') return value ? 'on' : 'off';
  if (typeof value === 'number') return String(Number(value.toPrecision(5)));
  const text = typeof value === 'string' ? value : JSON.stringify(value);
  return text.length > 24 ? '…' : text;
};

/** A changed value: what it was and what it is; of what is long only that it is another. */
export function valueWords({ path, before, after }: LayerChange['values'][number], title?: string): string {
  const name = title ?? path.replaceAll(/[._]/g, ' ');
  const [a, b] = [said(before), said(after)];
  return a === '…' || b === '…' ? name : `${name} ${a} → ${b}`;
}

/** What became of a layer's placements. */
export function placedWords(c: LayerChange): string {
  const counts: [number, string][] = [
    [c.added, 'added'],
    [c.removed, 'gone'],
    [c.moved, 'moved'],
    [c.altered, 'turned or exchanged'],
  ];
  return counts
    .filter(([n]) => n)
    .map(([n, word]) => `${n.toLocaleString('en')} ${word}`)
    .join(', ');
}

/** What is told of a layer besides its values. */
export const CHANGES: Record<string, string> = {
  added: 'new',
  removed: 'taken out',
  result: 'follows other layers',
  values: '',
  same: 'the same',
};

/** A count or a size as a row: before, after, by how much. */
export function weightRow({ what, before, after }: Weight): [string, string, string, string] {
  const bytes = what.startsWith('bytes');
  const tell = bytes ? size : big;
  const share = before ? (100 * (after - before)) / before : 0;
  const digits = Math.abs(share).toFixed(Math.abs(share) < 10 ? 1 : 0);
  const by = before === after ? '' : before ? `${share < 0 ? '−' : '+'}${digits} %` : 'new';
  return [what.replace(/^bytes (in|of) /, ''), tell(before), tell(after), by];
}

/** The finished release before another. */
export const previousOf = (releases: readonly Release[], number: number) =>
  releases.find((r) => r.number < number && r.state === 'done');

/** What profiles limit, as it is counted. */
export const OVER_NAMES: Record<string, string> = {
  triangles: 'triangles',
  instances: 'instances',
  draw_calls: 'draw calls',
  bytes: 'of geometry',
};

/** What would be saved; what stays is left out. */
export function gainWords(saves: Gains['gains'][number]['saves']): string {
  const told: [number, string][] = [
    [saves.triangles, 'triangles'],
    [saves.instances, 'instances'],
  ];
  return told
    .filter(([n]) => n > 0)
    .map(([n, what]) => `−${big(n)} ${what}`)
    .join(', ');
}
