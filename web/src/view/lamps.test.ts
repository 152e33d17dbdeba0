import { describe, expect, it } from 'vitest';
import { sample } from './lamps';

const start = (k: number) => (0.5 + k * 0.6180339887) % 1;

describe('which lamps light a frame', () => {
  it('are all where there is room, each as it is', () => {
    expect(sample([3, 0, 1, 2], 8, 0.3)).toEqual([0, 2, 3].map((index) => ({ index, weight: 1 })));
    expect(sample([], 8, 0.3)).toEqual([]);
    expect(sample([0, 0], 8, 0.9)).toEqual([]);
  });

  it('are as many as there is room for, the worthiest always', () => {
    const worth = Array.from({ length: 300 }, (_, k) => 1 / (1 + k) ** 2);
    for (let k = 0; k < 64; k++) {
      const found = sample(worth, 8, start(k));
      expect(Math.abs(found.length - 8)).toBeLessThanOrEqual(1);
      expect(new Set(found.map((f) => f.index)).size).toBe(found.length);
      expect(found.slice(0, 3)).toEqual([0, 1, 2].map((index) => ({ index, weight: 1 })));
    }
  });

  it('come to the light of all of them, over the frames of a picture', () => {
    const worth = Array.from({ length: 60 }, (_, k) => 1 + ((k * 37) % 11) + (k === 17 ? 400 : 0));
    const sum = new Array<number>(worth.length).fill(0);
    for (let k = 0; k < 640; k++)
      for (const { index, weight } of sample(worth, 8, start(k))) sum[index]! += weight / 640;
    for (const mean of sum) expect(Math.abs(mean - 1)).toBeLessThan(0.08);
  });

  it('change evenly: after 16 frames no lamp is far from its share', () => {
    const worth = new Array<number>(32).fill(1); // each is due in every fourth frame
    const sum = new Array<number>(32).fill(0);
    for (let k = 0; k < 16; k++) for (const { index, weight } of sample(worth, 8, start(k))) sum[index]! += weight / 16;
    for (const mean of sum) expect(Math.abs(mean - 1)).toBeLessThanOrEqual(0.26);
  });
});
