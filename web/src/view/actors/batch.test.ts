import * as THREE from 'three';
import { describe, expect, it, vi } from 'vitest';
import type { LoadedMesh, LoadedPart } from '../glb';
import { pack, WORDS } from '../instances';
import { takeMaterial } from '../materials';
import { Batch } from './batch';
import type { Cell } from './cells';

vi.spyOn(THREE.ImageBitmapLoader.prototype, 'load').mockImplementation(() => {});

const DOME = { grid: 8, pixels: 96, centre: [0, 2, 0], half: [1, 2], depth: 2 } as NonNullable<LoadedPart['dome']>;

function mesh(cutout: boolean, dome?: LoadedPart['dome']): LoadedMesh {
  const info = {
    name: 'leaf',
    albedo: '/leaf',
    color: [1, 1, 1] as [number, number, number],
    cutout,
    translucency: 0.3,
    dome,
  };
  const geometry = new THREE.BufferGeometry().setAttribute(
    'position',
    new THREE.BufferAttribute(new Float32Array(9), 3),
  );
  return { parts: [{ geometry, dome, ...takeMaterial(info) }], extras: {}, triangles: 1, dispose: () => {} };
}

function cell(count: number): Cell {
  const list = new Uint32Array(count * WORDS);
  for (let k = 0; k < count; k++)
    pack(list, k, new THREE.Vector3(k, 0, 0), new THREE.Quaternion(), new THREE.Vector3(1, 1, 1));
  const ids = BigUint64Array.from({ length: count }, (_, k) => BigInt(k));
  return { variant: 0, box: new THREE.Box3(), span: 1, smallest: 1, largest: 1, count, list, ids };
}

const LEVELS = [mesh(true), mesh(true), mesh(true), mesh(true, DOME)];
const UNTILS = [10, 30, 60, Infinity];
const batch = (loaded: (LoadedMesh | null)[] = LEVELS, height = 4) =>
  new Batch(new THREE.Group(), 'key', loaded, UNTILS, height, 100);

const casters = (of: Batch, level: number) => (of.levels[level]?.meshes ?? []).filter((m) => m.castShadow);

describe('levels of a variant', () => {
  it('throw shadows of leaves and not of whole cards', () => {
    for (const level of [1, 2, 3]) {
      const [caster, ...others] = casters(batch(), level);
      expect(others).toEqual([]);
      // three.js takes the cut-out of a shadow from the material of what throws it
      expect((caster?.material as THREE.Material).alphaTest).toBeGreaterThan(0);
      expect(caster?.customDepthMaterial).toBe(LEVELS[level]?.parts[0]?.many.shadow);
    }
    expect(casters(batch(), 0)).toEqual([]);
    expect(casters(batch(LEVELS, 1), 3)).toEqual([]);
  });

  it('throw none where none are to be thrown, and as before where they are again', () => {
    const all = batch();
    const count = () => [0, 1, 2, 3].map((level) => casters(all, level).length);
    const before = count();
    all.throwShadows(false);
    expect(count()).toEqual([0, 0, 0, 0]);
    all.throwShadows(true);
    expect(count()).toEqual(before);
  });

  it('give way to each other without a gap and without a step', () => {
    const all = batch();
    all.begin(0, 1e6); // so many pixels that no card is sharp
    let last = 0;
    for (let d = 0; d < 120; d += 0.05) {
      const [step, share] = all.at(d);
      expect(share).toBeGreaterThan(0);
      expect(share).toBeLessThanOrEqual(1);
      const passed = step + (1 - share);
      expect(passed - last).toBeGreaterThan(-1e-9);
      expect(passed - last).toBeLessThan(0.05);
      last = passed;
    }
    expect(last).toBe(3);
    expect(all.at(10)[1]).toBeCloseTo(0.5, 6);
  });

  it('are left for a card as soon as that is sharp', () => {
    const all = batch();
    all.begin(0, 600);
    const sharp = (0.9 * 600 * 4) / 96; // 22.5 m
    expect(all.levelOf(all.at(sharp * 2)[0])).toBe(3);
    expect(all.levelOf(all.at(sharp * 0.8)[0])).toBe(1);
    all.begin(0, 200); // a small view: even the second level is never wanted
    expect([5, 12, 200].map((d) => all.levelOf(all.at(d)[0]))).toEqual([0, 1, 3]);
  });

  it('that are still to come are left out', () => {
    const far = batch([null, null, null, LEVELS[3] as LoadedMesh]);
    far.begin(0, 600);
    expect([0, 5, 500].map((d) => [far.levelOf(far.at(d)[0]), far.at(d)[1]])).toEqual([[3, 1], [3, 1], [3, 1]]); // prettier-ignore
    expect(far.finestShade).toBe(3);
    expect(far.shape).toBeNull();
    expect(batch().shape).toBe(LEVELS[2]);
  });

  it('tell the instance of every number, and of no other', () => {
    const all = batch();
    const six = cell(6);
    all.begin(0, 600);
    all.add(six, 0, 0, 2);
    all.add(six, 3, 2, 3);
    all.addPart(six, 3, 5, 0.4, true);
    const draws: THREE.Mesh[] = [];
    expect(all.number(7, draws)).toBe(6);
    expect(draws.length).toBe(2);
    const places = [0, 1, 2, 3, 4, 5].map((n) => {
      const found = all.numbered(n);
      return found && ((found.list[found.row * WORDS] as number) & 0x3fffff) - (1 << 21);
    });
    expect(places).toEqual([0, 1000, 2000, 3000, 4000, 5000]); // millimetres
    expect(all.numbered(6)).toBeNull();
  });
});
