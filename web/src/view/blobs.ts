/** Buffers from the service by their hash, several in one request. */
import { bytes } from '../api/client';

const MOST = 500; // names in one request

/** The buffers with these hashes, in order. */
export async function buffers(names: string[], signal?: AbortSignal): Promise<ArrayBuffer[]> {
  const out: ArrayBuffer[] = [];
  while (out.length < names.length) {
    const packed = await bytes('/api/blobs/pack', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ names: names.slice(out.length, out.length + MOST) }),
      signal,
    });
    const parts = unpack(packed); // the first of them, as many as fit in one answer
    if (!parts.length) throw new Error('an answer of the server is empty');
    out.push(...parts);
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
