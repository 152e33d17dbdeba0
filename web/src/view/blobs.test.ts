import { expect, it, vi } from 'vitest';
import { buffers, unpack } from './blobs';

function pack(parts: Uint8Array[]): ArrayBuffer {
  const total = parts.reduce((n, p) => n + 4 + p.length, 0);
  const out = new Uint8Array(total);
  let at = 0;
  for (const p of parts) {
    new DataView(out.buffer).setUint32(at, p.length, true);
    out.set(p, at + 4);
    at += 4 + p.length;
  }
  return out.buffer;
}

it('takes a pack apart, empty parts included', () => {
  const parts = [[1, 2, 3], [], [9]].map((p) => new Uint8Array(p));
  expect(unpack(pack(parts)).map((b) => [...new Uint8Array(b)])).toEqual([[1, 2, 3], [], [9]]);
  expect(unpack(new ArrayBuffer(0))).toEqual([]);
});

it('refuses a pack that is cut off', () => {
  const packed = pack([new Uint8Array([1, 2, 3, 4])]);
  expect(() => unpack(packed.slice(0, 6))).toThrow('cut off');
});

it('asks on for what did not fit in one answer, and stops at an empty one', async () => {
  const asked: string[][] = [];
  vi.stubGlobal('fetch', (_: string, init: RequestInit) => {
    const { names } = JSON.parse(String(init.body)) as { names: string[] };
    asked.push(names);
    const fit = names.slice(0, 2).filter((n) => n !== 'none');
    return Promise.resolve(new Response(pack(fit.map((n) => new TextEncoder().encode(n)))));
  });
  const found = await buffers(['a', 'b', 'c', 'd', 'e']);
  expect(found.map((b) => new TextDecoder().decode(b))).toEqual(['a', 'b', 'c', 'd', 'e']);
  expect(asked).toEqual([['a', 'b', 'c', 'd', 'e'], ['c', 'd', 'e'], ['e']]);
  await expect(buffers(['none'])).rejects.toThrow('empty');
  vi.unstubAllGlobals();
});

it('asks once for what several want in one turn, and each gets its own; one who has left gets none', async () => {
  const asked: string[][] = [];
  vi.stubGlobal('fetch', (_: string, init: RequestInit) => {
    const { names } = JSON.parse(String(init.body)) as { names: string[] };
    asked.push(names);
    return Promise.resolve(new Response(pack(names.map((n) => new TextEncoder().encode(n)))));
  });
  const told = async (names: string[], signal?: AbortSignal) =>
    (await buffers(names, signal)).map((b) => new TextDecoder().decode(b)).join();
  const left = new AbortController();
  const gone = told(['c'], left.signal);
  left.abort();
  const both = Promise.all([told(['a', 'b']), told(['b', 'd']), told([])]);
  await expect(gone).rejects.toThrow(/abort/i);
  expect(await both).toEqual(['a,b', 'b,d', '']);
  expect(asked).toEqual([['c', 'a', 'b', 'd']]);
  expect(await told(['a'])).toBe('a');
  expect(asked).toHaveLength(2);
  vi.unstubAllGlobals();
});
