import { describe, expect, it } from 'vitest';
import { assetsIn, chosenOf, countsOf, seedsWith, takenApart, withLiking, withOwn, type MixEntry } from './mix';

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

  it('is taken apart in its place: others stay, what is there twice only gains weight', () => {
    const entries = [
      { asset: 'alder', weight: 3 },
      { asset: 'fern', weight: 1, size: [60, 70] as [number, number] },
    ];
    const next = takenApart([...mix, { asset: 'kept', weight: 8 }], 'kept', entries);
    expect(next).toEqual([{ ...mix[0], weight: 9 }, mix[1], { ...entries[1], weight: 2 }]);
    expect(takenApart([{ asset: 'kept', weight: 8 }], 'kept', entries)).toEqual(entries);
    // what is said of the mix goes on for each of its assets
    const small = { asset: 'kept', weight: 8, size: [50, 40] as [number, number], spacing: 2, conditions: [wet] };
    const own = { asset: 'fern', weight: 1, size: [60, 70] as [number, number], spacing: 1, conditions: [wet] };
    const again = { ...wet, id: 'w-mix' };
    expect(takenApart([small], 'kept', [entries[0] as MixEntry, own])).toEqual([
      { ...entries[0], size: [50, 40], spacing: 2, conditions: [wet] },
      { ...own, size: [30, 28], spacing: 2, conditions: [again, wet] },
    ]);
  });

  it('places some of the seeds of an asset: never none, and all of them are no choice', () => {
    const all = [3, 5, 8];
    const entry = { asset: 'alder', weight: 1 };
    expect(seedsWith(entry, all, 5, false)).toEqual([3, 8]);
    expect(seedsWith({ ...entry, seeds: [3, 8] }, all, 5, true)).toEqual([]);
    expect(seedsWith({ ...entry, seeds: [8] }, all, 8, false)).toEqual([8]);
    expect(seedsWith({ ...entry, seeds: [8, 99] }, all, 3, true)).toEqual([3, 8]);
  });

  it('tells how many of each asset stand, seeds taken together', () => {
    const variants = [
      { asset: 'alder', count: 4 },
      { asset: 'alder', count: 5 },
      { asset: 'fern', count: 1 },
    ];
    expect(countsOf({ placements: { variants } } as never)).toEqual({ alder: 9, fern: 1 });
    expect(countsOf(undefined)).toEqual({});
    const settings = { mixes: [{ id: 'k', name: 'K', entries: [{ asset: 'alder' }, { asset: 'fern' }] }] } as never;
    expect([assetsIn(settings, 'k'), assetsIn(settings, 'alder')]).toEqual([['alder', 'fern'], ['alder']]);
  });
});
