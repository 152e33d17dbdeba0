import { describe, expect, it } from 'vitest';
import { outOf, walked, type Obstacle } from './walker.svelte';

const stem: Obstacle = { name: 'Alder', ring: [[0, -5]], round: 0.3 };
const wall: Obstacle = {
  name: 'Wall',
  ring: [
    [-4, -10],
    [4, -10],
    [4, -9],
    [-4, -9],
  ],
  round: 0,
};

describe('walking', () => {
  it('goes where nothing is in the way', () => {
    expect(walked([0, 0], [3, 4], [stem, wall])).toEqual({ at: [expect.closeTo(3, 6), expect.closeTo(4, 6)], by: '' });
  });

  it('is stopped by a stem that is met squarely, and never comes into it', () => {
    const { at, by } = walked([0, 0], [0, -4.9], [stem]);
    expect(by).toBe('Alder');
    expect(at[1]).toBeCloseTo(-5 + 0.55, 3);
    expect(walked([0, 0], [0, -50], [stem]).at[1]).toBeGreaterThan(-4.5); // no step is wide enough to go through
  });

  it('slides along what is met aslant', () => {
    const { at, by } = walked([0.4, 0], [0.4, -8], [stem]);
    expect(by).toBe('Alder');
    expect(at[1]).toBeLessThan(-7);
    const along = walked([-2, -8.6], [2, -9.6], [wall]);
    expect(along.at[1]).toBeCloseTo(-9 + 0.25, 3);
    expect(along.at[0]).toBeGreaterThan(1.5);
  });

  it('comes out of what it begins in', () => {
    const { at } = walked([3.9, -9.5], [3.9, -9.5], [wall]);
    expect(outOf(wall.ring, ...at)[0]).toBeCloseTo(0.25, 6);
  });

  it('goes between two that leave room, and not between two that do not', () => {
    const two = (gap: number): Obstacle[] =>
      [-1, 1].map((s) => ({ name: 'Post', ring: [[s * (0.5 * gap + 0.2), -3]], round: 0.2 }));
    expect(walked([0, 0], [0, -6], two(0.6)).at[1]).toBeCloseTo(-6, 3);
    expect(walked([0, 0], [0, -6], two(0.4)).at[1]).toBeGreaterThan(-3);
  });

  it('knows how far an outline is, from outside and within, whichever way it runs', () => {
    const ring: Obstacle['ring'] = [
      [0, 0],
      [2, 0],
      [2, 2],
      [0, 2],
    ];
    for (const r of [ring, ring.toReversed()]) {
      expect(outOf(r, 3, 1)).toEqual([1, 1, 0]);
      const [within, nx, nz] = outOf(r, 1.5, 1);
      expect([within, nx, nz]).toEqual([-0.5, 1, expect.closeTo(0)]);
    }
    expect(outOf([[1, 1]], 1, 4)).toEqual([3, 0, 1]);
    expect(
      outOf(
        [
          [0, 0],
          [4, 0],
        ],
        2,
        1,
      )[0],
    ).toBe(1);
  });
});
