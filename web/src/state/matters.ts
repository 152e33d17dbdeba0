/** When a parameter matters and what it acts on, as the service declares it. */
import type { Row, Values } from '../api/client';
import { read } from './values';

export type Ranges = Record<string, [number, number]>;
type Test = Row['when'][number][number];

function holds(test: Test, values: Values): boolean {
  const value = read(values, test.path);
  if (test.among) return test.among.includes(value as string | boolean);
  if (typeof test.above === 'number') return Number(value ?? 0) > test.above;
  const length = Array.isArray(value) ? value.length : value ? 1 : 0;
  return length > 0 === test.filled;
}

/** Whether a parameter does something as the others stand. */
export function matters(row: Row, values: Values): boolean {
  return row.when.every((clause) => clause.some((test) => holds(test, values)));
}

/** Names of the ranges that `row` acts on and that are there; none when it acts on the whole. */
export function actsOn(row: Row, ranges: Ranges): string[] {
  return row.acts.filter((name) => (ranges[name]?.[1] ?? 0) > 0);
}

/** What a product counts, in the words of its kind: "3 stems, 12 limbs". */
export function counted(told: Record<string, [string, string]> | undefined, counts: Record<string, number>): string {
  return Object.entries(told ?? {})
    .filter(([name]) => counts[name] !== undefined)
    .map(([name, [one, more]]) => `${(counts[name] ?? 0).toLocaleString('en')} ${counts[name] === 1 ? one : more}`)
    .join(', ');
}
