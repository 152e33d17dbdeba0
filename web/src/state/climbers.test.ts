import { expect, test } from 'vitest';
import { startsWords } from './climbers';

test('starts are told by how many there are, or by their share of the foot', () => {
  expect(startsWords({ starts: 'points', points: [], share: 20 })).toBe('nowhere yet');
  expect(startsWords({ starts: 'points', points: [[0, 0]], share: 20 })).toBe('at one point');
  expect(
    startsWords({
      starts: 'points',
      points: [
        [0, 0],
        [1, 1],
      ],
      share: 20,
    }),
  ).toBe('at 2 points');
  expect(startsWords({ starts: 'foot', points: [[0, 0]], share: 15 })).toBe('from 15 % of its foot');
});
