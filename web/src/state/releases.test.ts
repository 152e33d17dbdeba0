import { describe, expect, it } from 'vitest';
import { colliderWords, heavy, sheetWords, weights, type Manifest } from './releases';

describe('what a manifest tells', () => {
  it('adds files up by folder, the heaviest first', () => {
    const files = [
      { path: 'manifest.json', bytes: 5 },
      { path: 'tiles/0.glb', bytes: 10 },
      { path: 'tiles/1.glb', bytes: 20 },
      { path: 'images/a.png', bytes: 7 },
    ];
    expect(weights({ files } as Manifest)).toEqual([
      ['tiles/', 30],
      ['images/', 7],
      ['manifest.json', 5],
    ]);
  });
  it('tells how well colliders stand for what is seen', () => {
    expect(colliderWords(undefined)).toBe('');
    expect(colliderWords({ bodies: 1, cover: 0.997, volume: 1.128 })).toBe(
      '1 body over 100 % of it, 1.13 x its volume',
    );
    expect(colliderWords({ bodies: 3, cover: 0.5, volume: null })).toBe('3 bodies over 50 % of it');
  });
  it("tells how near an asset's own maps come", () => {
    expect(sheetWords(undefined)).toBe('');
    expect(sheetWords({ turned: 4.66, plain: 24.02, missed: 0, off: 0.001 })).toBe(
      'normals 4.7° off with maps of its own, 24.0° without',
    );
  });
  it('darkens from nothing over moss to clay, whatever share it is given', () => {
    expect(heavy(0)).toContain('moss) 20%');
    expect(heavy(0.5)).toContain('clay) 0%');
    expect(heavy(7)).toBe(heavy(1));
    expect(heavy(-1)).toBe(heavy(0));
  });
});
