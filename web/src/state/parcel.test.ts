import { describe, expect, it } from 'vitest';
import { parcelIn } from './parcel';

describe('a text on the clipboard', () => {
  it('is a parcel where it is one, and nothing else', () => {
    const parcel = { plough: 4, layers: [{ id: 'a' }], assets: [], mixes: [] };
    expect(parcelIn(` \n${JSON.stringify(parcel)}`)).toEqual(parcel);
    for (const text of [
      '',
      'reeds',
      '{',
      '[]',
      'null',
      '{"layers": []}',
      '{"plough": 4}',
      '3',
      `{"plough":1,"layers":"${'x'.repeat(4_000_001)}"}`,
    ])
      expect(parcelIn(text)).toBeNull();
  });
});
