import { describe, expect, it } from 'vitest';
import { bodyLines, type Body } from './bodies';
import type { Flat } from './tools/tool';

const size = { wide: 8, tall: 3, deep: 4, above: 5 };
const height = (x: number) => x / 10;
const spots: Flat[] = [[0, 0], [30, 10], [50, -20]]; // prettier-ignore
const lines = (form: Body['form']) => bodyLines({ ...size, form }, spots, height);
const reach = (all: { x: number; y: number; z: number }[][], axis: 'x' | 'y' | 'z') => {
  const values = all.flat().map((p) => p[axis]);
  return [Math.min(...values), Math.max(...values)];
};

describe('bodies of air, drawn', () => {
  it('are as large as they are said to be, so far above the ground of each point', () => {
    for (const form of ['box', 'ball'] as const) {
      const all = lines(form);
      expect(all.length % 3).toBe(0);
      const one = all.slice(all.length / 3, (2 * all.length) / 3); // of the second point
      expect(reach(one, 'x')).toEqual([26, 34]);
      expect(reach(one, 'z')).toEqual([8, 12]);
      expect(reach(one, 'y')[0]).toBeCloseTo(3 + 5 - 1.5);
      expect(reach(one, 'y')[1]).toBeCloseTo(3 + 5 + 1.5);
    }
  });

  it('of a tube lie about the line through the points, square to it', () => {
    const all = lines('tube');
    expect(all.length).toBe(3 + 4);
    for (const p of all[1] ?? []) {
      const [dx, dy, dz] = [p.x - 30, p.y - 8, p.z - 10];
      expect((Math.hypot(dx, dz) / 4) ** 2 + (dy / 1.5) ** 2).toBeCloseTo(1);
    }
    const [left = [], , right = []] = all.slice(3);
    left.forEach((a, k) => {
      const b = right[k];
      expect(Math.hypot(a.x - (b?.x ?? 0), a.z - (b?.z ?? 0))).toBeCloseTo(8);
    });
  });

  it('of a single point are a ball, whatever runs along several', () => {
    expect(bodyLines({ ...size, form: 'tube' }, [[0, 0]], height).length).toBe(3);
  });
});
