import { describe, expect, it } from 'vitest';
import { asksForSheet } from './sheet';

describe('maps of its own', () => {
  it('are asked for by a size alone', () => {
    expect(asksForSheet({})).toBe(false);
    expect(asksForSheet({ game: {} })).toBe(false);
    expect(asksForSheet({ game: { sheet: { size: 'none', levels: 'last' } } })).toBe(false);
    expect(asksForSheet({ game: { sheet: { size: '512' } } })).toBe(true);
  });
});
