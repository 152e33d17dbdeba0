import { describe, expect, it } from 'vitest';
import type { Compared, Release } from '../api/client';
import { gainWords, placedWords, previousOf, valueWords, weightRow } from './compare';

const layer = (more: Partial<Compared['layers'][number]>) =>
  ({ added: 0, removed: 0, moved: 0, altered: 0, values: [], ...more }) as Compared['layers'][number];

describe('two releases in words', () => {
  it('tells a value before and after, and of what is long only its name', () => {
    expect(valueWords({ path: 'fill', before: 50, after: 30.000001 })).toBe('fill 50 → 30');
    expect(valueWords({ path: 'game.phone', before: null, after: true })).toBe('game phone default → on');
    expect(valueWords({ path: 'points', before: [[1, 2]], after: Array(40).fill([1, 2]) }, 'Points')).toBe('Points');
  });
  it('tells what became of placements, and leaves out what is none', () => {
    expect(placedWords(layer({ added: 1200, moved: 3 }))).toBe('1,200 added, 3 moved');
    expect(placedWords(layer({}))).toBe('');
  });
  it('tells weights with their units and by how much they changed', () => {
    expect(weightRow({ what: 'triangles', before: 2_000_000, after: 1_000_000 })[3]).toBe('−50 %');
    expect(weightRow({ what: 'bytes in tiles/', before: 0, after: 2_000_000 }).slice(0, 1)).toEqual(['tiles/']);
    expect(weightRow({ what: 'bytes in tiles/', before: 0, after: 2_000_000 })[3]).toBe('new');
    expect(weightRow({ what: 'lamps', before: 4, after: 4 })[3]).toBe('');
  });
  it('tells what would be saved, and nothing of what stays', () => {
    const none = { triangles: 0, triangles_near: 9, instances: 0, draw_calls: 0, bytes: 0 };
    expect(gainWords({ ...none, triangles: 412_000, instances: 3100 })).toBe('−412 k triangles, −3,100 instances');
    expect(gainWords({ ...none, instances: 5 })).toBe('−5 instances');
  });
  it('finds the finished release before another', () => {
    const all = [5, 4, 3].map((number) => ({ number, state: number === 4 ? 'failed' : 'done' })) as Release[];
    expect(previousOf(all, 5)?.number).toBe(3);
    expect(previousOf(all, 3)).toBeUndefined();
  });
});
