import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { matrixOf, pack, placeOf, WORDS } from '../instances';
import type { Cell } from './cells';
import { Spin } from './spin';

const start = new THREE.Quaternion().setFromEuler(new THREE.Euler(0.4, 1.1, -0.3));

function cell(): Cell {
  const list = new Uint32Array(2 * WORDS);
  const size = new THREE.Vector3(1, 1, 1);
  pack(list, 0, new THREE.Vector3(3, 1, -2), new THREE.Quaternion(), size);
  pack(list, 1, new THREE.Vector3(-7, 2, 5), start, size);
  return { list, count: 2 } as unknown as Cell;
}

const axis = (c: Cell, k: number, column: number) =>
  new THREE.Vector3().setFromMatrixColumn(matrixOf(c.list, k, new THREE.Matrix4()), column);

describe('what spins', () => {
  it('turns about its own axis by what time has passed, and stays in its place', () => {
    const [spin, c] = [new Spin(), cell()];
    expect(spin.set([0, 90, 0])).toBe(true);
    expect(spin.set([0, 90, 0])).toBe(false);
    spin.turn([c], 1);
    // a quarter to the left: what looked south looks east
    expect(axis(c, 0, 2).distanceTo(new THREE.Vector3(1, 0, 0))).toBeLessThan(0.01);
    const up = new THREE.Vector3(0, 1, 0).applyQuaternion(start);
    expect(axis(c, 1, 1).distanceTo(up)).toBeLessThan(0.01);
    expect(placeOf(c.list, 1, new THREE.Vector3()).toArray()).toEqual([-7, 2, 5]);
    spin.turn([c], 4);
    expect(axis(c, 0, 2).distanceTo(new THREE.Vector3(0, 0, 1))).toBeLessThan(0.01);
  });

  it('does not drift, and is as it was when it stops', () => {
    const [spin, c] = [new Spin(), cell()];
    const before = c.list.slice();
    spin.set([33, -71, 12]);
    for (let k = 1; k < 500; k++) spin.turn([c], k * 0.37);
    expect(spin.behind(499 * 0.37)).toBe(false);
    spin.set([0, 0, 0]);
    expect(spin.behind(200)).toBe(true);
    spin.turn([c], 200);
    for (let k = 0; k < 2; k++)
      for (let column = 0; column < 3; column++) {
        const was = axis({ ...c, list: before }, k, column);
        expect(axis(c, k, column).distanceTo(was)).toBeLessThan(0.01);
      }
    expect(spin.behind(300)).toBe(false);
  });
});
