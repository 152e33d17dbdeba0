/** Where rays meet what is drawn. */
import * as THREE from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import type { Cell } from './actors/cells';

/** Where a ray meets something first. */
export interface Hit {
  point: THREE.Vector3;
  distance: number; // metres along the ray
  placement?: bigint; // the id of the placement that is met
  row?: [cell: Cell, k: number]; // and where it is kept
  normal?: THREE.Vector3; // of the face that is met, to the side of the ray's origin
}

// indirect: triangles stay in their order, by which runs of them are told
const trees = new WeakMap<THREE.BufferGeometry, MeshBVH>();

function treeOf(geometry: THREE.BufferGeometry): MeshBVH {
  let tree = trees.get(geometry);
  if (!tree) trees.set(geometry, (tree = new MeshBVH(geometry, { indirect: true })));
  return tree;
}

const [inverse, local] = [new THREE.Matrix4(), new THREE.Ray()];

/** Where a ray meets a geometry that stands at `matrix`, from whichever side. */
export function meets(ray: THREE.Ray, geometry: THREE.BufferGeometry, matrix: THREE.Matrix4): Hit | null {
  local.copy(ray).applyMatrix4(inverse.copy(matrix).invert());
  const found = treeOf(geometry).raycastFirst(local, THREE.DoubleSide);
  if (!found) return null;
  const point = found.point.applyMatrix4(matrix);
  const normal = found.face?.normal.clone().applyNormalMatrix(new THREE.Matrix3().getNormalMatrix(matrix)).normalize();
  if (normal && normal.dot(ray.direction) > 0) normal.negate();
  return { point, distance: point.distanceTo(ray.origin), normal };
}

/** The nearer of two. */
export function nearer<H extends Hit>(a: H | null, b: H | null): H | null {
  return a && b ? (a.distance <= b.distance ? a : b) : (a ?? b);
}
