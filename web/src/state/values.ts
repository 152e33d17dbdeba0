/** Plain values by dotted names, and how numbers are shown. */
import type { Row, Values } from '../api/client';

export function read(values: Values, path: string): unknown {
  return path.split('.').reduce<unknown>((at, key) => (at as Values | undefined)?.[key], values);
}

/** A copy of `values` with one dotted name set. */
export function write(values: Values, path: string, value: unknown): Values {
  const [head, ...rest] = path.split('.') as [string, ...string[]];
  if (!rest.length) return { ...values, [head]: value };
  return { ...values, [head]: write((values[head] as Values | undefined) ?? {}, rest.join('.'), value) };
}

export function writeAll(values: Values, changes: Values): Values {
  return Object.entries(changes).reduce((all, [path, value]) => write(all, path, value), values);
}

/** Every parameter of `rows` by its dotted name: as in `values`, or as by default. */
export function flat(rows: Row[], values: Values): Values {
  return Object.fromEntries(rows.map((r) => [r.path, read(values, r.path) ?? r.default]));
}

export function same(a: unknown, b: unknown): boolean {
  return JSON.stringify(a) === JSON.stringify(b);
}

/** As many decimals as the step of a parameter asks for. */
export function decimals(step: number | null): number {
  if (!step || step >= 1) return 0;
  return Math.min(4, Math.ceil(-Math.log10(step) - 1e-9));
}

export function shown(value: number, step: number | null): string {
  return value.toLocaleString('en', {
    minimumFractionDigits: decimals(step),
    maximumFractionDigits: decimals(step),
    useGrouping: Math.abs(value) >= 10_000,
  });
}

/** A span in words; one value where both ends are the same. */
export const pair = ([a, b]: [number, number], unit: string) => (a === b ? `${a} ${unit}` : `${a}–${b} ${unit}`);

/** How many stand; about how many, while a part of them is shown. */
export const standing = ({ count, share }: { count: number; share: number }) =>
  share < 1 ? `about ${big(Math.round(count / share))}` : count.toLocaleString('en');

/** What a sentence says of those that are mirrored, after a comma; nothing where none is. */
export const mirroredWords = (share: number | undefined) =>
  !share ? '' : share === 100 ? ', mirrored' : `, ${share} % mirrored`;

/** A sum of numbers with + - * / and brackets; null when it is none. */
export function sum(text: string): number | null {
  const tokens = text.replace(/,/g, '.').match(/\d+\.?\d*|\.\d+|[-+*/()]/g);
  if (!tokens || tokens.join('') !== text.replace(/,/g, '.').replace(/\s/g, '')) return null;
  let at = 0;
  const factor = (): number => {
    const token = tokens[at++];
    if (token === '-') return -factor();
    if (token === '+') return factor();
    if (token === '(') {
      const inner = terms();
      return tokens[at++] === ')' ? inner : NaN;
    }
    return token === undefined || /[-+*/()]/.test(token) ? NaN : parseFloat(token);
  };
  const product = (): number => {
    let value = factor();
    while (tokens[at] === '*' || tokens[at] === '/') value = tokens[at++] === '*' ? value * factor() : value / factor();
    return value;
  };
  const terms = (): number => {
    let value = product();
    while (tokens[at] === '+' || tokens[at] === '-')
      value = tokens[at++] === '+' ? value + product() : value - product();
    return value;
  };
  const value = terms();
  return at === tokens.length && Number.isFinite(value) ? value : null;
}

export function big(n: number): string {
  if (n >= 1e6) return `${(n / 1e6).toFixed(2)} M`;
  if (n >= 1e4) return `${Math.round(n / 1e3)} k`;
  return n.toLocaleString('en');
}

export function size(bytes: number): string {
  if (bytes >= 1e6) return `${(bytes / 1e6).toFixed(1)} MB`;
  return `${Math.max(1, Math.round(bytes / 1e3))} kB`;
}

export function ago(when: string): string {
  const s = Math.max(0, (Date.now() - Date.parse(when)) / 1000);
  if (s < 60) return 'just now';
  if (s < 3600) return `${Math.floor(s / 60)} min ago`;
  if (s < 86400) return `${Math.floor(s / 3600)} h ago`;
  return `${Math.floor(s / 86400)} d ago`;
}

/** Rows in groups and sections, in the order in which they are declared. */
export function grouped(rows: Row[]): { group: string; sections: { title: string; rows: Row[] }[] }[] {
  const out: { group: string; sections: { title: string; rows: Row[] }[] }[] = [];
  for (const row of rows) {
    let group = out.find((g) => g.group === row.group);
    if (!group) out.push((group = { group: row.group, sections: [] }));
    let section = group.sections.find((s) => s.title === row.section);
    if (!section) group.sections.push((section = { title: row.section, rows: [] }));
    section.rows.push(row);
  }
  return out;
}
