import { expect, test } from 'vitest';
import type { Row, Way } from '../api/client';
import { begun } from './ways';

test('a way takes everything back to its start but where a layer stands and what it is of', () => {
  const row = (path: string, value: unknown) => ({ path, default: value }) as Row;
  const rows = [row('height', 1), row('bond', 'courses'), row('points', []), row('mix', []), row('openings', [])];
  const way = { parameters: { bond: 'rubble', points: [[0, 0]], mix: [{ asset: 'shrub' }] } } as unknown as Way;
  expect(begun(rows, way)).toEqual({ height: 1, bond: 'rubble' });
});
