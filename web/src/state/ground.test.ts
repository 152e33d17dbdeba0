import { describe, expect, it } from 'vitest';
import type { Heights, Model, Taken } from '../api/client';
import { groundText, ofMesh, ofTaken, readHeights, toldOf } from './ground';

const read = (more: Partial<Heights>): Heights => ({
  file: 'a.tif',
  hash: 'h',
  width: 65,
  height: 33,
  told: '16 bits',
  metres: false,
  low: 0,
  high: 1,
  holes: 0,
  parameters: {},
  ...more,
});

describe('height maps', () => {
  it('tells metres only where the file holds them, and holes where there are any', () => {
    expect(toldOf(read({}))).toBe('65 × 33, 16 bits');
    expect(toldOf(read({ metres: true, low: -2, high: 41.26, holes: 1200 }))).toBe(
      '65 × 33, 16 bits, -2.0 to 41.3 m; 1,200 samples held nothing and take the nearest height',
    );
  });

  it('says of the ground what it is made from, and nothing else', () => {
    const base = { size: 1024, relief: 12, terrace: 0, basin: false, water: false, water_level: -1, level: 3 };
    expect(groundText({ ...base, made_from: 'noise' })).toBe('1,024 m of ground with about 12 m of relief.');
    expect(groundText({ ...base, made_from: 'noise', terrace: 4, basin: true, water: true })).toBe(
      '1,024 m of ground with about 12 m of relief, in steps of 4 m, a flat-bottomed basin, and water at -1 m.',
    );
    expect(groundText({ ...base, made_from: 'level' })).toBe('1,024 m of ground, level at 3 m.');
    expect(groundText({ ...base, made_from: 'heights', as_told: false, heights: [0, 60] })).toBe(
      '1,024 m of ground from a height map, 0 to 60 m high.',
    );
    expect(groundText({ ...base, made_from: 'heights', as_told: true, heights: [0, 60] })).toBe(
      '1,024 m of ground from a height map.',
    );
  });

  it('begins with a mesh in its unit, upright, mended where it is advised', () => {
    const fault = (text: string, advised: boolean, mend: object) => ({ text, advised, mend });
    const mesh = {
      error: '',
      hash: 'h',
      triangles: 1200,
      images: 2,
      parameters: { unit: 'cm', up: 'z' },
      sizes: { cm: [12, 30, 4] },
      faults: [
        fault('3 face inwards', true, { 'mend.outwards': true }),
        fault('9 open edges', false, { 'mend.holes': true }),
      ],
    } as unknown as Model;
    expect(ofMesh(mesh)).toEqual({
      parameters: { made_from: 'mesh', mesh: 'h', unit: 'cm', up: 'z', outwards: true, dressed: 'own' },
      told: '1,200 triangles, 12.00 × 30.00 m, 4.00 m high',
    });
    expect(() => ofMesh({ ...mesh, error: 'it is damaged' })).toThrow('it is damaged');
    expect(ofTaken({ meshes: [], images: {}, heights: null } as unknown as Taken)).toBeNull();
    expect(ofTaken({ meshes: [], images: {}, heights: read({}) } as unknown as Taken)?.told).toBe('65 × 33, 16 bits');
    expect(groundText({ made_from: 'mesh', size: 512, water: false })).toBe('Ground made of a mesh.');
  });

  it('refuses a file beyond the limit before it is sent', async () => {
    const huge = { name: 'x.tif', size: 2e8 } as File;
    await expect(readHeights(huge, new AbortController().signal)).rejects.toThrow('200 MB; at most 100 MB');
  });
});
