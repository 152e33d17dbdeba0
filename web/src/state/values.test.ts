import { describe, expect, it } from 'vitest';
import { mirroredWords, pair, standing, sum } from './values';

describe('values in words', () => {
  it('says how many stand, and about how many while a part of them is shown', () => {
    expect(standing({ count: 12_345, share: 1 })).toBe('12,345');
    expect(standing({ count: 100_000, share: 0.08 })).toBe('about 1.25 M');
    expect(standing({ count: 3, share: 0.5 })).toBe('about 6');
  });

  it('says of mirrored ones only what is so', () => {
    expect([undefined, 0, 35, 100].map(mirroredWords)).toEqual(['', '', ', 35 % mirrored', ', mirrored']);
    expect([pair([3, 3], 'm'), pair([3, 4], 'm')]).toEqual(['3 m', '3–4 m']);
  });

  it('reads sums, and nothing that is none', () => {
    expect([sum('3*1.2'), sum('-(2+1)/4'), sum('2,5+1')]).toEqual([3.5999999999999996, -0.75, 3.5]);
    expect([sum('2+'), sum('1/0'), sum('abc'), sum(''), sum('(1')]).toEqual([null, null, null, null, null]);
  });
});
