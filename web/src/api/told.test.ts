import { afterEach, expect, test, vi } from 'vitest';
import { toldBytes, type Progress } from './client';

const text = new TextEncoder();

/** An answer that comes in pieces of so many bytes. */
function answer(data: Uint8Array, piece: number, status = 200) {
  const body = new ReadableStream<Uint8Array>({
    start(to) {
      for (let at = 0; at < data.length; at += piece) to.enqueue(data.slice(at, at + piece));
      to.close();
    },
  });
  vi.stubGlobal('fetch', () => Promise.resolve(new Response(body, { status })));
}

function whole(lines: object[], glb: Uint8Array): Uint8Array {
  const head = text.encode(lines.map((l) => `${JSON.stringify(l)}\n`).join(''));
  const out = new Uint8Array(head.length + glb.length);
  out.set(head);
  out.set(glb, head.length);
  return out;
}

const LINES = [
  { share: 0.1, words: 'Measuring distances' },
  { share: 0.6, words: 'Looking for crossings' },
];
const GLB = Uint8Array.from({ length: 300 }, (_, k) => (k * 7) % 256); // line feeds among them

afterEach(() => vi.unstubAllGlobals());

test.each([1, 3, 17, 64, 5000])('what is told and what follows come apart, in pieces of %i bytes', async (piece) => {
  answer(whole([...LINES, { bytes: GLB.length }], GLB), piece);
  const told: Progress[] = [];
  const data = await toldBytes('/x', {}, (p) => told.push(p));
  expect(told).toEqual(LINES);
  expect(new Uint8Array(data)).toEqual(GLB);
});

test.each([1, 3, 29, 5000])('pictures come between what is told, in pieces of %i bytes', async (piece) => {
  const line = (l: object) => text.encode(`${JSON.stringify(l)}\n`);
  const picture = GLB.slice(0, 41);
  const parts = [line({ ...LINES[0], picture: 41 }), picture, line(LINES[1] as object), line({ bytes: 300 }), GLB];
  answer(Uint8Array.from(parts.flatMap((p) => [...p])), piece);
  const told: [Progress, number[] | undefined][] = [];
  const data = await toldBytes('/x', {}, (p, seen) => told.push([p, seen && [...new Uint8Array(seen)]]));
  expect(told).toEqual([
    [LINES[0], [...picture]],
    [LINES[1], undefined],
  ]);
  expect(new Uint8Array(data)).toEqual(GLB);
});

test('a fault is told in its words', async () => {
  answer(whole([...LINES, { error: 'cell: too many', field: 'cell', limit: '3 cm' }], new Uint8Array()), 11);
  await expect(toldBytes('/x', {}, () => {})).rejects.toThrow('cell: too many');
});

test('a refusal before the work is told too', async () => {
  answer(text.encode(JSON.stringify({ title: 'Too many', detail: 'others are being made' })), 9, 429);
  await expect(toldBytes('/x', {}, () => {})).rejects.toThrow('others are being made');
});

test.each([40, 150])('what breaks off after %i bytes is told, not taken for whole', async (left) => {
  answer(whole([...LINES, { bytes: GLB.length }], GLB).slice(0, left), 8);
  await expect(toldBytes('/x', {}, () => {})).rejects.toThrow('broke off');
});
