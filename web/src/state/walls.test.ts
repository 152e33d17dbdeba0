import { describe, expect, it } from 'vitest';
import { bondWords, gateWords, alongOf, freeId, placeAt, stonePaths, wallHead, wallRuin } from './walls';

const LINE: [number, number][] = [
  [0, 0],
  [3, 4],
  [3, 14],
];

describe('places along a wall', () => {
  it('are told in metres from its start, and found again', () => {
    for (const metres of [0, 2.5, 5, 9, 15]) expect(alongOf(LINE, placeAt(LINE, metres))).toBeCloseTo(metres, 1);
    expect(placeAt(LINE, 10)).toEqual([3, 9]);
  });
  it('never lie beyond its ends', () => {
    expect(placeAt(LINE, -3)).toEqual([0, 0]);
    expect(placeAt(LINE, 99)).toEqual([3, 14]);
    expect(alongOf(LINE, [30, 40])).toBe(15);
  });
});

describe('openings', () => {
  it('get ids that none has', () => {
    expect(freeId([])).toBe('o1');
    expect(freeId([{ id: 'o2' }])).toBe('o3');
    expect(freeId([{ id: 'o3' }, { id: 'x' }])).toBe('o4');
  });
  it('are told as they are headed', () => {
    expect(wallHead({ crossed: 'none', clear: 2 })).toBe('it goes on');
    expect(wallHead({ crossed: 'arch', clear: 2.25 })).toBe('there is an arch 2.25 m up');
  });
});

it('ruin is told by how much', () => {
  expect([0, 10, 40, 90].map(wallRuin)).toEqual([
    'All of it stands',
    'Some of it has fallen',
    'Much of it has fallen',
    'Little of it is left',
  ]);
});

it('how blocks are laid is told as it acts', () => {
  const laid = { bond: 'running', rows: 1, turn_even: 0, turn_odd: 0 } as const;
  expect(bondWords(laid)).toBe('half over half');
  expect(bondWords({ ...laid, rows: 3, turn_odd: 20 })).toBe('half over half, 3 rows deep, askew');
  // in bonds with headers rows and turns do nothing
  expect(bondWords({ ...laid, bond: 'english', rows: 3, turn_odd: 20 })).toBe('in English bond');
});

it('gates are told by what they are of', () => {
  expect([gateWords('none'), gateWords('bars'), gateWords('boards')]).toEqual([
    'no gate',
    'a gate of bars',
    'a gate of boards',
  ]);
});

describe('an elevation', () => {
  const stones = [
    [0, 0, 0, 1000, 0, 1000, 500],
    [3, 1000, 0, 2000, 0, 2000, 500, 1000, 500],
    [3, 0, 500, 500, 500, 500, 700],
  ];
  it('is drawn by tones, upwards from its base', () => {
    const paths = stonePaths(stones, 0.1, 80, null);
    expect(paths).toHaveLength(5);
    expect(paths[0]).toBe('M0.0 80.0L100.0 80.0L100.0 30.0Z');
    expect(paths[3]!.match(/M/g)).toHaveLength(2);
    expect(paths[1]).toBe('');
  });
  it('is seen from the other side the other way round', () => {
    expect(stonePaths(stones, 0.1, 80, 200)[0]).toBe('M200.0 80.0L100.0 80.0L100.0 30.0Z');
  });
});
