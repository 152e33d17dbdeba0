import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { Batch, switchesOf } from './batches';
import { between, Bodies, outline } from './bodies';
import { levelAt, wanted, type Tile } from './files';
import type { Body, Thing } from './loaded';

const at = (x: number, y: number, z: number, scale = 1) =>
  new THREE.Matrix4().compose(
    new THREE.Vector3(x, y, z),
    new THREE.Quaternion(),
    new THREE.Vector3(scale, scale, scale),
  ).elements;
const flat = (...all: number[][]) => new Float32Array(all.flat());
const everywhere = () => {
  const camera = new THREE.PerspectiveCamera(170, 1, 0.01, 1e6);
  camera.position.set(0, 0, 1e4);
  camera.updateMatrixWorld();
  return new THREE.Frustum().setFromProjectionMatrix(
    new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse),
  );
};

describe('levels by distance', () => {
  it('takes the first whose switching distance is beyond, and the last from there on', () => {
    expect([0, 9.9, 10.1, 49, 51, 1e6].map((d) => levelAt(d, [10, 50], 3))).toEqual([0, 0, 1, 1, 2, 2]);
    expect(levelAt(1e6, [], 1)).toBe(0);
    expect(levelAt(60, [10, 50], 2)).toBe(1);
  });
  it('tells them by shares of the screen where there are no others', () => {
    const [a, b] = switchesOf([0.5, 0.1, 0], 2);
    expect(a).toBeCloseTo(2 / (0.5 * 2 * Math.tan(THREE.MathUtils.degToRad(25))));
    expect((b as number) / (a as number)).toBeCloseTo(5);
  });
});

describe('tiles about a place', () => {
  const tile = (k: number): Tile => ({
    path: `t${k}`,
    level: 0,
    bounds: [100 * k, 0, 100 * k + 100, 100],
    instances: 1,
    triangles: 1,
  });
  const row = [0, 1, 2, 3, 4].map(tile);
  it('are those within reach, the nearest first; what is there stays for half as long again', () => {
    const paths = (there: string[], x: number) => wanted(row, new Set(there), x, 50, 60).map((t) => t.path);
    expect(paths([], 110)).toEqual(['t1', 't0']);
    expect(paths(['t2'], 115)).toEqual(['t1', 't0', 't2']);
    expect(paths(['t3'], 110)).toEqual(['t1', 't0']);
  });
});

function cube(half: number): THREE.BufferGeometry {
  return new THREE.BoxGeometry(2 * half, 2 * half, 2 * half);
}

describe('a batch', () => {
  const thing = (places: Float32Array, levels = 2): Thing => ({
    name: 'post',
    layer: 'posts',
    asset: 'post',
    variant: 1,
    mirrored: false,
    levels: Array.from({ length: levels }, () => [{ geometry: cube(0.5), material: new THREE.MeshBasicMaterial() }]),
    coverage: [],
    places,
  });
  it('draws each thing once, at the level of its distance and size', () => {
    const all = flat(at(0, 0, 5), at(0, 0, -20), at(0, 0, -30, 4));
    const batch = new Batch(thing(all), [10]);
    batch.put('a', all);
    batch.fill(new THREE.Vector3(), everywhere());
    expect(batch.shown).toEqual([2, 1]); // what is four times as large is so four times as far
    const [near, far] = batch.group.children as THREE.InstancedMesh[];
    expect([near?.count, far?.count]).toEqual([2, 1]);
    expect(batch.triangles).toEqual([12, 12]);
  });
  it('keeps what files bring apart, and lets go of it', () => {
    const batch = new Batch(thing(flat(at(0, 0, 0))), [10]);
    batch.put('a', flat(at(0, 0, 0)));
    batch.put('b', flat(at(1, 0, 0), at(2, 0, 0)));
    batch.put('b', flat(at(3, 0, 0))); // another layer of the same file
    batch.fill(new THREE.Vector3(), everywhere());
    expect(batch.count).toBe(4);
    expect(batch.drop('b')).toBe(false);
    batch.fill(new THREE.Vector3(), everywhere());
    expect(batch.count).toBe(1);
    expect(batch.drop('a')).toBe(true);
  });
});

describe('bodies', () => {
  const body = (more: Partial<Body> = {}): Body => ({
    name: 'c',
    layer: 'willows',
    geometry: cube(1),
    movement: true,
    shots: true,
    places: flat(at(10, 1, 0), at(40, 1, 0, 2)),
    ...more,
  });
  it('are outlines at the height of who walks', () => {
    const bodies = new Bodies();
    bodies.add('a', [body()]);
    expect(bodies.count).toBe(2);
    const [near, ...others] = bodies.stops(8, 0, 6, 0);
    expect(others).toEqual([]);
    const xs = near?.ring.map((p) => p[0]) ?? [];
    expect([Math.min(...xs), Math.max(...xs)]).toEqual([9, 11]);
    expect(bodies.stops(8, 0, 6, 5)).toEqual([]); // one walks over it
    expect(bodies.stops(8, 0, 6, -5)).toEqual([]); // or below
    bodies.drop('a');
    expect([bodies.count, bodies.stops(8, 0, 6, 0)]).toEqual([0, []]);
  });
  it('let through what they do not block', () => {
    const bodies = new Bodies();
    bodies.add('a', [body({ movement: false })]);
    expect(bodies.stops(8, 0, 6, 0)).toEqual([]);
    const ray = new THREE.Ray(new THREE.Vector3(0, 1, 0), new THREE.Vector3(1, 0, 0));
    expect(bodies.shot(ray, 100)?.away).toBeCloseTo(9);
    expect(bodies.shot(ray, 5)).toBeNull();
    const soft = new Bodies();
    soft.add('a', [body({ shots: false })]);
    expect(soft.shot(ray, 100)).toBeNull();
  });
  it('cut triangles between two heights', () => {
    const corner = (x: number, y: number) => new THREE.Vector3(x, y, 0);
    const found = between([corner(0, 0), corner(10, 10), corner(0, 10)], 2, 4);
    const xs = found.map((p) => p[0]).sort((a, b) => a - b);
    expect(xs[0]).toBe(0);
    expect(xs.at(-1)).toBe(4);
  });
  it('take the convex outline of points', () => {
    const square: [number, number][] = [
      [0, 0],
      [2, 0],
      [2, 2],
      [0, 2],
    ];
    expect(new Set(outline([...square, [1, 1], [0.5, 1.5], [2, 0]]).map(String))).toEqual(new Set(square.map(String)));
    expect(outline([[1, 1]])).toEqual([[1, 1]]);
  });
});
