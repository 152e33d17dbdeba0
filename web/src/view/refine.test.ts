import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { refined } from './refine';

function sides(geometry: THREE.BufferGeometry): { longest: number; area: number; open: number } {
  const at = geometry.getAttribute('position');
  const index = geometry.index!.array;
  const p = (v: number) => new THREE.Vector3().fromBufferAttribute(at, v);
  const key = (v: number) =>
    p(v)
      .toArray()
      .map((x) => x.toFixed(4))
      .join();
  const seen = new Map<string, number>();
  let longest = 0;
  let area = 0;
  for (let t = 0; t < index.length; t += 3) {
    const c = [index[t]!, index[t + 1]!, index[t + 2]!];
    area += new THREE.Triangle(p(c[0]!), p(c[1]!), p(c[2]!)).getArea();
    c.forEach((a, k) => {
      const b = c[(k + 1) % 3]!;
      longest = Math.max(longest, p(a).distanceTo(p(b)));
      const [x, y] = [key(a), key(b)];
      seen.set(`${x}|${y}`, (seen.get(`${x}|${y}`) ?? 0) + 1);
      seen.set(`${y}|${x}`, (seen.get(`${y}|${x}`) ?? 0) - 1);
    });
  }
  return { longest, area, open: [...seen.values()].filter((n) => n !== 0).length };
}

describe('large triangles in pieces', () => {
  it('leaves what is small as it is', () => {
    const small = new THREE.BoxGeometry(1, 1, 1);
    expect(refined(small)).toBe(small);
  });

  it('halves long sides until none is left, keeps the surface and leaves it closed', () => {
    const box = new THREE.BoxGeometry(11, 3, 7);
    const made = refined(box);
    expect(sides(made).longest).toBeLessThanOrEqual(2.5);
    expect(sides(made).area).toBeCloseTo(sides(box).area, 3);
    expect(sides(box).open).toBe(0);
    expect(sides(made).open).toBe(0);
  });

  it('carries all that a vertex tells half way, bytes as bytes', () => {
    const flat = new THREE.PlaneGeometry(4, 1);
    const bytes = new Uint8Array([0, 200, 0, 200]);
    flat.setAttribute('tone', new THREE.BufferAttribute(bytes, 1, true));
    const made = refined(flat);
    const [at, tone, uv] = ['position', 'tone', 'uv'].map((n) => made.getAttribute(n)!);
    expect(tone!.array).toBeInstanceOf(Uint8Array);
    for (let v = 0; v < at!.count; v++) {
      expect(uv!.getX(v)).toBeCloseTo((at!.getX(v) + 2) / 4, 5);
      expect(tone!.getX(v) * 255).toBeCloseTo(50 * (at!.getX(v) + 2), -0.5);
    }
  });
});
