import { describe, expect, it } from 'vitest';
import type { Row } from '../api/client';
import { actsOn, counted, matters } from './matters';

const row = (when: Row['when'], acts: string[] = []) => ({ path: 'x', when, acts }) as unknown as Row;
const among = (path: string, ...values: (string | boolean)[]) => ({ path, among: values, above: null, filled: null });
const above = (path: string, limit: number) => ({ path, among: null, above: limit, filled: null });
const filled = (path: string, is: boolean) => ({ path, among: null, above: null, filled: is });

describe('a parameter', () => {
  it('matters without conditions, and never under an empty clause', () => {
    expect(matters(row([]), {})).toBe(true);
    expect(matters(row([[]]), {})).toBe(false);
  });

  it('matters when one test of each clause holds', () => {
    const guided = row([[filled('guide', false), above('stems', 1)], [among('growth', 'orders')]]);
    expect(matters(guided, { guide: [], stems: 1, growth: 'orders' })).toBe(true);
    expect(matters(guided, { guide: [[0, 1, 0]], stems: 1, growth: 'orders' })).toBe(false);
    expect(matters(guided, { guide: [[0, 1, 0]], stems: 2, growth: 'orders' })).toBe(true);
    expect(matters(guided, { guide: [], stems: 1, growth: 'crown' })).toBe(false);
  });

  it('reads nested values, flags and empty text', () => {
    expect(matters(row([[above('first.count', 0)]]), { first: { count: 3 } })).toBe(true);
    expect(matters(row([[among('leaves', true)]]), { leaves: false })).toBe(false);
    expect(matters(row([[filled('leaf_asset', false)]]), { leaf_asset: '' })).toBe(true);
    expect(matters(row([[filled('leaf_asset', true)]]), { leaf_asset: 'a1' })).toBe(true);
  });
});

describe('what is told of a product', () => {
  it('acts on ranges that are there', () => {
    expect(actsOn(row([], ['roots', 'stems']), { stems: [0, 40], roots: [40, 0] })).toEqual(['stems']);
  });

  it('counts in words', () => {
    const told: Record<string, [string, string]> = { stems: ['stem', 'stems'], limbs: ['limb', 'limbs'] };
    expect(counted(told, { stems: 1, limbs: 1200 })).toBe('1 stem, 1,200 limbs');
    expect(counted(told, {})).toBe('');
    expect(counted(undefined, { stems: 1 })).toBe('');
  });
});
