import { describe, expect, it } from 'vitest';
import { chainageStep, facingWords, halfWidth, spinWords } from './along';

describe('what stands along paths', () => {
  it('is told by where it faces', () => {
    const p = { facing: 'fixed', azimuth: 90, turn: 0 };
    expect(facingWords(p)).toBe('east');
    expect(facingWords({ ...p, facing: 'across', turn: 20 })).toBe('away from it, turned by up to 20°');
    expect(facingWords({ ...p, turn: 360 })).toBe('any way');
  });

  it('has a chainage in round numbers, never more marks than fit', () => {
    for (const length of [0.4, 3, 12, 99, 553, 1000, 8123]) {
      const step = chainageStep(length);
      expect(length / step).toBeLessThanOrEqual(8);
      expect([1, 2, 5]).toContain(Math.round(step / 10 ** Math.floor(Math.log10(step) + 1e-9)));
    }
    expect(chainageStep(553)).toBe(100);
  });

  it('shows as far to the side as anything stands', () => {
    expect(halfWidth({ places: [] })).toBe(2);
    expect(halfWidth({ places: [[3, -7.5], [9, 4]] })).toBe(7.5); // prettier-ignore
  });
});

describe('what spins', () => {
  it('is told by how long a turn takes, whatever the axis', () => {
    expect(spinWords({ spin: 0, spin_sides: 0, spin_front: 0 })).toBe('');
    expect(spinWords({ spin: -90, spin_sides: 0, spin_front: 0 })).toBe('once in 4.0 s');
    expect(spinWords({ spin: 3, spin_sides: 0, spin_front: 4 })).toBe('once in 72 s');
  });
});
