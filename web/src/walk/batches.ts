/** Things of one shape, drawn together: each at the level that its distance asks for. */
import * as THREE from 'three';
import { levelAt } from './files';
import type { Part, Thing } from './loaded';

const SLOPE = 2 * Math.tan(THREE.MathUtils.degToRad(25)); // height of a view of 50 degrees, by distance

/** Metres at which each level but the last gives way, by the least share of the screen's height at which it is shown. */
export function switchesOf(coverage: readonly number[], size: number): number[] {
  return coverage.filter((c) => c > 0).map((c) => size / (c * SLOPE));
}

export class Batch {
  readonly group = new THREE.Group();
  readonly levels: Part[][];
  readonly triangles: number[];
  /** How many are drawn at each level. */
  readonly shown: number[];
  private readonly middle = new THREE.Vector3();
  private readonly radius: number;
  private readonly from = new Map<string, Float32Array[]>(); // by file
  private meshes: THREE.InstancedMesh[][] = [];
  private room = 0;

  /** @param switches metres, of an asset as its manifest says; none where its levels tell by their share of the screen */
  constructor(
    thing: Thing,
    private readonly switches: readonly number[] | null,
  ) {
    this.levels = thing.levels;
    const count = ({ geometry }: Part) => (geometry.index?.count ?? geometry.getAttribute('position').count) / 3;
    this.triangles = this.levels.map((parts) => parts.reduce((sum, p) => sum + count(p), 0));
    this.shown = this.levels.map(() => 0);
    const box = new THREE.Box3();
    for (const { geometry } of this.levels[0] ?? []) {
      geometry.computeBoundingBox();
      box.union(geometry.boundingBox as THREE.Box3);
    }
    const size = box.getSize(new THREE.Vector3());
    box.getCenter(this.middle);
    this.radius = size.length() / 2;
    this.switches ??= switchesOf(thing.coverage, Math.max(size.y, size.x / 2, size.z / 2));
  }

  get count(): number {
    return this.shown.reduce((a, b) => a + b, 0);
  }

  put(file: string, places: Float32Array) {
    const there = this.from.get(file);
    if (there) there.push(places);
    else this.from.set(file, [places]);
  }

  /** Let go of what a file brought; whether nothing is left. */
  drop(file: string): boolean {
    this.from.delete(file);
    return !this.from.size;
  }

  private make(room: number) {
    this.dispose();
    this.room = room;
    this.meshes = this.levels.map((parts) =>
      parts.map(({ geometry, material }) => {
        const mesh = new THREE.InstancedMesh(geometry, material, room);
        mesh.frustumCulled = false; // by this class
        mesh.castShadow = mesh.receiveShadow = true;
        this.group.add(mesh);
        return mesh;
      }),
    );
  }

  /** Sort by levels, as seen by an eye; what lies outside of the view is left out. */
  fill(eye: THREE.Vector3, view: THREE.Frustum) {
    const all = [...this.from.values()].flat();
    const total = all.reduce((sum, p) => sum + p.length / 16, 0);
    if (total > this.room) this.make(Math.ceil(total * 1.2));
    this.shown.fill(0);
    const [at, ball, one] = [new THREE.Vector3(), new THREE.Sphere(), new THREE.Matrix4()];
    for (const places of all)
      for (let k = 0; k < places.length; k += 16) {
        one.fromArray(places, k);
        const scale = one.getMaxScaleOnAxis();
        at.copy(this.middle).applyMatrix4(one);
        ball.set(at, this.radius * scale);
        if (!view.intersectsSphere(ball)) continue;
        const whole = total === 1; // one large thing is as near as its nearest side
        const away = at.distanceTo(eye) - (whole ? this.radius * scale : 0);
        const level = levelAt(away / scale, this.switches ?? [], this.levels.length);
        const row = this.shown[level] ?? 0;
        this.shown[level] = row + 1;
        for (const mesh of this.meshes[level] ?? []) mesh.instanceMatrix.set(places.subarray(k, k + 16), 16 * row);
      }
    this.meshes.forEach((parts, level) => {
      for (const mesh of parts) {
        mesh.count = this.shown[level] ?? 0;
        mesh.visible = mesh.count > 0;
        mesh.instanceMatrix.clearUpdateRanges();
        mesh.instanceMatrix.addUpdateRange(0, 16 * mesh.count);
        mesh.instanceMatrix.needsUpdate = true;
      }
    });
  }

  dispose() {
    for (const mesh of this.meshes.flat()) mesh.dispose();
    this.group.clear();
    this.meshes = [];
    this.room = 0;
  }
}
