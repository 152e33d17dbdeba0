import { describe, expect, it } from 'vitest';
import { chosenOf, withLiking, withOwn, type MixEntry } from './mix';

const wet = { id: 'w', of: 'wetness', between: [60, 100] as [number, number], fade: 20 };
const mix: MixEntry[] = [
  { asset: 'alder', weight: 3, size: [80, 120], conditions: [wet] },
  { asset: 'sallow', weight: 2 },
];

describe('a mix', () => {
  it('keeps what its assets have of their own when others come and go', () => {
    const next = chosenOf(mix, ['reed', 'alder'], { alder: 5 });
    expect(next).toEqual([
      { asset: 'reed', weight: 1 },
      { ...mix[0], weight: 5 },
    ]);
  });

  it('changes one asset and leaves the others as they are', () => {
    const sized = withOwn(mix, 'sallow', 'size', [50, 60]);
    expect(sized[1]).toEqual({ asset: 'sallow', weight: 2, size: [50, 60] });
    expect(sized[0]).toBe(mix[0]);
    const liking = withLiking(mix, 'sallow', 'w', wet);
    expect(liking[1]?.conditions).toEqual([wet]);
    expect(withLiking(liking, 'sallow', 'w', { ...wet, fade: 5 })[1]?.conditions?.[0]?.fade).toBe(5);
    expect(withLiking(liking, 'alder', 'w', null)[0]?.conditions).toEqual([]);
    expect(withLiking(liking, 'gone', 'w', null)).toEqual(liking);
  });
});
