/** What stands in a part of a tile, by variant. */
import * as THREE from 'three';
import { pack, placeOf, same, sizeOf, WORDS } from '../instances';

export const TILE = 64; // metres
const PARTS = 4; // a tile is culled in so many parts on each axis

/** Instances of one variant in a part of a tile. */
export interface Cell {
  variant: number;
  box: THREE.Box3;
  span: number; // from corner to corner, metres
  smallest: number; // of its instances, as a share of their own height
  largest: number;
  count: number;
  list: Uint32Array; // of instances
  ids: BigUint64Array;
}

/** What a variant takes up at 100 %, in metres. */
export interface Extent {
  height: number;
  radius: number; // about its foot
}

/** One tile's placements, as the service tells them, sorted by variant and part. */
export function cellsOf(data: ArrayBuffer, count: number, extents: Extent[]): Cell[] {
  const position = new Float32Array(data, 0, count * 3);
  const rotation = new Float32Array(data, count * 12, count * 4);
  const scale = new Float32Array(data, count * 28, count * 3);
  const variant = new Uint32Array(data, count * 40, count);
  const ids = new BigUint64Array(data.slice(count * 44, count * 52));
  const part = TILE / PARTS;
  const rows = new Map<string, number[]>();
  for (let i = 0; i < count; i++) {
    const x = Math.floor((position[i * 3] ?? 0) / part);
    const z = Math.floor((position[i * 3 + 2] ?? 0) / part);
    const key = `${variant[i]} ${x} ${z}`;
    const list = rows.get(key);
    if (list) list.push(i);
    else rows.set(key, [i]);
  }
  const [p, q, s, corner] = [new THREE.Vector3(), new THREE.Quaternion(), new THREE.Vector3(), new THREE.Vector3()];
  return [...rows.values()].map((list) => {
    const row = variant[list[0] ?? 0] ?? 0;
    const { height, radius } = extents[row] ?? { height: 1, radius: 1 };
    const cell: Cell = {
      variant: row,
      box: new THREE.Box3(),
      span: 0,
      smallest: Infinity,
      largest: 0,
      count: list.length,
      list: new Uint32Array(list.length * WORDS),
      ids: BigUint64Array.from(list, (i) => ids[i] as bigint),
    };
    list.forEach((i, k) => {
      p.fromArray(position, i * 3);
      s.fromArray(scale, i * 3);
      pack(cell.list, k, p, q.fromArray(rotation, i * 4), s);
      cell.smallest = Math.min(cell.smallest, sizeOf(cell.list, k));
      cell.largest = Math.max(cell.largest, sizeOf(cell.list, k));
      const reach = Math.max(radius, height * 0.6) * s.y;
      cell.box.expandByPoint(corner.set(p.x - reach, p.y - 0.5, p.z - reach));
      cell.box.expandByPoint(corner.set(p.x + reach, p.y + height * s.y * 1.1, p.z + reach));
    });
    cell.span = cell.box.getSize(corner).length();
    return cell;
  });
}

/** Calls back for each instance of a cell that a ray may meet, with the distance at which it can begin. */
export function along(
  cell: Cell,
  { height, radius }: Extent,
  ray: THREE.Ray,
  meets: (k: number, from: number) => void,
) {
  const [centre, reach] = [new THREE.Vector3(), Math.hypot(radius, height * 0.6)];
  for (let k = 0; k < cell.count; k++) {
    const size = sizeOf(cell.list, k);
    placeOf(cell.list, k, centre).y += height * 0.5 * size;
    const r = reach * size;
    if (ray.distanceSqToPoint(centre) < r * r) meets(k, centre.distanceTo(ray.origin) - r);
  }
}

/** The instance of a cell that is the `j`th of a list; -1 where it is none of them. */
export function rowOf(cell: Cell, list: Uint32Array, j: number): number {
  for (let k = 0; k < cell.count; k++) if (same(cell.list, k, list, j)) return k;
  return -1;
}
