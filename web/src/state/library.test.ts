import { describe, expect, it } from 'vitest';
import type { Asset, Origin, Taken } from '../api/client';
import { byItem, filesOf, megabytes, replaced } from './library';

const asset = (parameters: object, images: Record<string, string> = {}) => ({ parameters, images }) as unknown as Asset;
const origin = (file: string, item = 'stone', version = '1') => ({ file, item, version, library: 'L' }) as Origin;
const taken = (meshes: object[], images: Record<string, string> = {}) => ({ meshes, images }) as unknown as Taken;

describe('what was taken from a library', () => {
  it('names every file of an asset once', () => {
    expect(filesOf(asset({ source: 'm' }, { 'leaf.albedo': 'a', 'bark.albedo': 'a' }))).toEqual(['a', 'm']);
    expect(filesOf(asset({ height: 3 }))).toEqual([]);
  });

  it('puts a mesh that was read in the place of the old one, and one that was not nowhere', () => {
    const mine = asset({ source: 'old' });
    expect(
      replaced(
        mine,
        origin('old'),
        taken([
          { error: 'bad', hash: '' },
          { error: '', hash: 'new' },
        ]),
      ),
    ).toEqual({
      parameters: { source: 'new' },
    });
    expect(replaced(mine, origin('old'), taken([{ error: 'bad', hash: '' }]))).toBeNull();
    expect(replaced(mine, origin('other'), taken([{ error: '', hash: 'new' }]))).toBeNull();
  });

  it('puts an image only where the old one was, map by map', () => {
    const mine = asset({}, { 'leaf.albedo': 'old', 'bark.albedo': 'own', 'leaf.normal': 'n' });
    expect(replaced(mine, origin('old'), taken([], { albedo: 'new', normal: 'x' }))).toEqual({
      images: { 'leaf.albedo': 'new', 'bark.albedo': 'own', 'leaf.normal': 'n' },
    });
    expect(replaced(mine, origin('old'), taken([], { surface: 'x' }))).toBeNull();
  });

  it('tells an item of several files once, and two versions of it apart', () => {
    expect(byItem([origin('a'), origin('b'), origin('c', 'stone', '2')]).map((o) => o.version)).toEqual(['1', '2']);
  });

  it('tells sizes as people do', () => {
    expect([megabytes(200), megabytes(918_000), megabytes(2_250_000)]).toEqual(['1 kB', '918 kB', '2.3 MB']);
  });
});
