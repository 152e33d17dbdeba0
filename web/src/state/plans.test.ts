import { describe, expect, it } from 'vitest';
import type { Flat } from './freehand';
import { MOST_CORNERS, planOf } from './plans';

const area = (points: Flat[]) =>
  0.5 *
  points.reduce((sum, a, k) => {
    const b = points[(k + 1) % points.length] as Flat;
    return sum + a[0] * b[1] - b[0] * a[1];
  }, 0);

describe('a plan from an outline', () => {
  it('lies about its own middle, as large as the outline', () => {
    // an angle of two wings, far from the scene's middle
    const ell: Flat[] = [
      [100, -50],
      [112, -50],
      [112, -44],
      [106, -44],
      [106, -38],
      [100, -38],
    ];
    const plan = planOf(ell);
    expect(plan).toHaveLength(6);
    expect(area(plan)).toBeCloseTo(area(ell), 6);
    // two squares of 6 m beside one of them: the middle of all three
    expect(plan[0]).toEqual([-5, -5]);
    expect(plan[1]).toEqual([7, -5]);
  });

  it('keeps no more corners than a plan may have, and its form', () => {
    const round: Flat[] = Array.from({ length: 400 }, (_, k) => [
      20 + 9 * Math.cos((2 * Math.PI * k) / 400),
      9 * Math.sin((2 * Math.PI * k) / 400),
    ]);
    const plan = planOf(round);
    expect(plan.length).toBeLessThanOrEqual(MOST_CORNERS);
    expect(plan.length).toBeGreaterThan(12);
    expect(area(plan)).toBeGreaterThan(0.97 * area(round));
  });

  it('of what encloses nothing lies about its points', () => {
    expect(
      planOf([
        [2, 2],
        [4, 2],
        [6, 2],
      ]),
    ).toEqual([
      [-2, 0],
      [0, 0],
      [2, 0],
    ]);
  });
});
