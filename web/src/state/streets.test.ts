import { expect, test } from 'vitest';
import { pavedWords } from './streets';

test('a way is told by its stones and its kerbs', () => {
  expect(pavedWords({ paved: 'none', kerb: true })).toBe('as the path is');
  expect(pavedWords({ paved: 'setts', kerb: false })).toBe('paved with setts');
  expect(pavedWords({ paved: 'flags', kerb: true })).toBe('paved with flags between kerbs');
});
