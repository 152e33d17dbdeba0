/** Buffers from the service by their hash, several in one request. */
import { bytes } from '../api/client';

const MOST = 500; // names in one request

/** What is asked for in one turn, and so in one request. */
let together: { names: Set<string>; found: Promise<Map<string, ArrayBuffer>> } | null = null;

/** The buffers with these hashes, in order; what several ask for in one turn is fetched together. */
export async function buffers(names: string[], signal?: AbortSignal): Promise<ArrayBuffer[]> {
  if (!names.length) return [];
  const { names: all, found } = (together ??= gathered());
  for (const name of names) all.add(name);
  const parts = await found;
  signal?.throwIfAborted();
  return names.map((name) => parts.get(name) as ArrayBuffer);
}

function gathered() {
  const names = new Set<string>();
  const found = Promise.resolve().then(() => {
    together = null;
    return fetched([...names]);
  });
  return { names, found };
}

async function fetched(names: string[]): Promise<Map<string, ArrayBuffer>> {
  const out = new Map<string, ArrayBuffer>();
  while (out.size < names.length) {
    const asked = names.slice(out.size, out.size + MOST);
    const packed = await bytes('/api/blobs/pack', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ names: asked }),
    });
    const parts = unpack(packed); // the first of them, as many as fit in one answer
    if (!parts.length) throw new Error('an answer of the server is empty');
    parts.forEach((part, k) => out.set(asked[k] as string, part));
  }
  return out;
}

/** The buffer with this hash. */
export async function buffer(name: string, signal?: AbortSignal): Promise<ArrayBuffer> {
  return (await buffers([name], signal))[0] as ArrayBuffer;
}

/** The parts of a pack: a length of four bytes, little-endian, before each. */
export function unpack(packed: ArrayBuffer): ArrayBuffer[] {
  const view = new DataView(packed);
  const out: ArrayBuffer[] = [];
  for (let at = 0; at < packed.byteLength;) {
    const length = view.getUint32(at, true);
    if (at + 4 + length > packed.byteLength) throw new Error('an answer of the server is cut off');
    out.push(packed.slice(at + 4, at + 4 + length));
    at += 4 + length;
  }
  return out;
}
