import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { fade, matrixOf, pack, placeOf, same, sizeOf, WORDS } from './instances';

/** Numbers between 0 and 1, the same each time. */
function numbers(seed: number) {
  let s = seed;
  return () => (s = (s * 16807) % 2147483647) / 2147483647;
}

describe('instances of 16 bytes', () => {
  const next = numbers(41);
  const given = Array.from({ length: 3000 }, () => ({
    at: new THREE.Vector3((next() - 0.5) * 4000, (next() - 0.5) * 900, (next() - 0.5) * 4000),
    turn: new THREE.Quaternion(next() - 0.5, next() - 0.5, next() - 0.5, next() - 0.5).normalize(),
    size: new THREE.Vector3().setScalar(0.05 + 6 * next() ** 3),
  }));
  const list = new Uint32Array(given.length * WORDS);
  given.forEach(({ at, turn, size }, k) => pack(list, k, at, turn, size));

  it('stand where they should, within a millimetre', () => {
    for (const [k, { at, size }] of given.entries()) {
      expect(placeOf(list, k, new THREE.Vector3()).distanceTo(at)).toBeLessThan(0.001);
      expect(sizeOf(list, k) / size.y).toBeCloseTo(1, 2);
    }
  });

  it('keep their shape within two thousandths of their size', () => {
    for (const [k, { at, turn, size }] of given.entries()) {
      const [wanted, got] = [new THREE.Matrix4().compose(at, turn, size), matrixOf(list, k, new THREE.Matrix4())];
      for (const corner of [new THREE.Vector3(1, 0, 0), new THREE.Vector3(0, 1, 0), new THREE.Vector3(0, 0, -1)]) {
        const miss = corner.clone().applyMatrix4(wanted).distanceTo(corner.applyMatrix4(got));
        expect(miss).toBeLessThan(0.001 + 0.0035 * size.y);
      }
    }
  });

  it('may be taller than wide', () => {
    const one = new Uint32Array(WORDS);
    pack(one, 0, new THREE.Vector3(1, 2, 3), new THREE.Quaternion(), new THREE.Vector3(0.5, 2, 0.5));
    const got = matrixOf(one, 0, new THREE.Matrix4());
    expect(new THREE.Vector3(1, 1, 1).applyMatrix4(got).toArray()).toEqual([1.5, 4, 3.5]);
  });

  it('are cut to what can be told, and do not run into each other', () => {
    const one = new Uint32Array(WORDS);
    pack(one, 0, new THREE.Vector3(1e7, -1e7, 3), new THREE.Quaternion(), new THREE.Vector3(1e9, 1e-9, 1e9));
    const at = placeOf(one, 0, new THREE.Vector3());
    expect([at.x, at.y, at.z]).toEqual([2097.151, -524.288, 3]);
  });

  it('are themselves when they fade', () => {
    const two = list.slice(0, 2 * WORDS);
    fade(two, 0, 0.25, false);
    fade(two, 1, 0.75, true);
    expect(same(two, 0, list, 0)).toBe(true);
    expect(same(two, 1, list, 0)).toBe(false);
    const code = (k: number) => (two[k * WORDS + 3] as number) >>> 24;
    expect(code(1) - 128).toBe(code(0) - 1); // one ends where the other begins
    expect((code(0) - 1) / 126).toBeCloseTo(0.25, 2);
    expect(sizeOf(two, 0)).toBe(sizeOf(list, 0));
    fade(two, 0, 1, true);
    expect(code(0)).toBe(128); // all of it
    fade(two, 0, 1, false);
    expect(code(0)).toBe(127);
  });
});
