/** Large triangles in pieces: the map of shadows bends what lies between corners. */
import * as THREE from 'three';

const LONGEST = 2.5; // metres of a side
const ROUNDS = 5;

/** `geometry` with no side much longer than 2.5 m; one that has none is given back as it is. Neighbours stay closed: a side is halved or not by its length alone. */
export function refined(geometry: THREE.BufferGeometry, longest = LONGEST): THREE.BufferGeometry {
  let now = geometry;
  for (let round = 0; round < ROUNDS; round++) {
    const next = halved(now, longest);
    if (next === now) break;
    if (now !== geometry) now.dispose();
    now = next;
  }
  return now;
}

function halved(geometry: THREE.BufferGeometry, longest: number): THREE.BufferGeometry {
  const index = geometry.index?.array;
  const at = geometry.getAttribute('position');
  if (!index) return geometry;
  const long = (a: number, b: number) =>
    Math.hypot(at.getX(a) - at.getX(b), at.getY(a) - at.getY(b), at.getZ(a) - at.getZ(b)) > longest;
  let any = false;
  for (let t = 0; t < index.length && !any; t += 3)
    any = [0, 1, 2].some((k) => long(index[t + k]!, index[t + ((k + 1) % 3)]!));
  if (!any) return geometry;
  const middles = new Map<number, number>(); // of two vertices, the lesser first
  const pairs: number[] = [];
  const count = at.count;
  const middle = (a: number, b: number) => {
    const key = Math.min(a, b) * count + Math.max(a, b);
    let found = middles.get(key);
    if (found === undefined) {
      found = count + pairs.length / 2;
      pairs.push(a, b);
      middles.set(key, found);
    }
    return found;
  };
  const out: number[] = [];
  for (let t = 0; t < index.length; t += 3) {
    const corner = [index[t]!, index[t + 1]!, index[t + 2]!];
    const cut = corner.map((a, k) => long(a, corner[(k + 1) % 3]!));
    const many = cut.filter(Boolean).length;
    if (!many) {
      out.push(...corner);
      continue;
    }
    // turned so that the sides to be halved come first; of two, the one that is not is the last
    const first = many === 1 ? cut.indexOf(true) : many === 2 ? (cut.indexOf(false) + 1) % 3 : 0;
    const [a, b, c] = [corner[first]!, corner[(first + 1) % 3]!, corner[(first + 2) % 3]!];
    const ab = middle(a, b);
    if (many === 1) out.push(a, ab, c, ab, b, c);
    else {
      const bc = middle(b, c);
      if (many === 2) out.push(ab, b, bc, a, ab, bc, a, bc, c);
      else {
        const ca = middle(c, a);
        out.push(a, ab, ca, ab, b, bc, ca, bc, c, ab, bc, ca);
      }
    }
  }
  const made = new THREE.BufferGeometry();
  for (const [name, old] of Object.entries(geometry.attributes)) {
    const { itemSize, normalized } = old;
    const type = old.array.constructor as new (n: number) => THREE.TypedArray;
    const array = new type((count + pairs.length / 2) * itemSize);
    // interleaved or not, what is kept is read value by value
    const get = (v: number, k: number) => old.getComponent(v, k);
    const fresh = new THREE.BufferAttribute(array, itemSize, normalized);
    for (let v = 0; v < count; v++) for (let k = 0; k < itemSize; k++) fresh.setComponent(v, k, get(v, k));
    for (let p = 0; p < pairs.length; p += 2)
      for (let k = 0; k < itemSize; k++)
        fresh.setComponent(count + p / 2, k, 0.5 * (get(pairs[p]!, k) + get(pairs[p + 1]!, k)));
    made.setAttribute(name, fresh);
  }
  made.setIndex(out);
  return made;
}
