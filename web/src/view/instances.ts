/** Placements of a layer: grouped in tiles, drawn at the level of detail that the distance asks for. */
import * as THREE from 'three';
import type { LayerView } from '../api/client';
import { buffer, mesh, type LoadedMesh } from './glb';

const TILE = 32; // metres

interface Tile {
  box: THREE.Box3;
  first: number;
  count: number;
}

interface Level {
  until: number;
  loaded: LoadedMesh;
  meshes: THREE.InstancedMesh[];
  filled: number;
}

/** One variant's instances. */
class Batch {
  readonly levels: Level[] = [];
  readonly tiles: Tile[] = [];
  private readonly matrices: Float32Array;
  private readonly places: Float32Array; // x, y, z, size

  constructor(
    group: THREE.Group,
    rows: number[],
    data: { position: Float32Array; rotation: Float32Array; scale: Float32Array },
    loaded: LoadedMesh[],
    untils: number[],
    height: number,
  ) {
    const key = (i: number) =>
      Math.floor((data.position[i * 3] ?? 0) / TILE) * 65536 + Math.floor((data.position[i * 3 + 2] ?? 0) / TILE);
    rows.sort((a, b) => key(a) - key(b));
    this.matrices = new Float32Array(rows.length * 16);
    this.places = new Float32Array(rows.length * 4);
    const m = new THREE.Matrix4();
    const p = new THREE.Vector3();
    const q = new THREE.Quaternion();
    const s = new THREE.Vector3();
    let tile: Tile | null = null;
    let tileKey = NaN;
    rows.forEach((i, k) => {
      p.fromArray(data.position, i * 3);
      q.fromArray(data.rotation, i * 4);
      s.fromArray(data.scale, i * 3);
      m.compose(p, q, s).toArray(this.matrices, k * 16);
      this.places.set([p.x, p.y, p.z, s.y], k * 4);
      if (key(i) !== tileKey || !tile) {
        tileKey = key(i);
        tile = { box: new THREE.Box3(), first: k, count: 0 };
        this.tiles.push(tile);
      }
      const reach = height * s.y * 0.6;
      tile.box.expandByPoint(new THREE.Vector3(p.x - reach, p.y - 0.5, p.z - reach));
      tile.box.expandByPoint(new THREE.Vector3(p.x + reach, p.y + height * s.y * 1.1, p.z + reach));
      tile.count++;
    });
    loaded.forEach((each, l) => {
      const meshes = each.parts.map((part) => {
        const made = new THREE.InstancedMesh(part.geometry, part.material, rows.length);
        made.customDepthMaterial = part.shadow;
        made.castShadow = made.receiveShadow = true;
        made.frustumCulled = false;
        made.count = 0;
        group.add(made);
        return made;
      });
      this.levels.push({ until: untils[l] ?? Infinity, loaded: each, meshes, filled: 0 });
    });
  }

  /** Fill every level with the instances that the camera sees at it; `shift` moves all switching distances nearer. */
  fill(frustum: THREE.Frustum, eye: THREE.Vector3, shift: number, lowest: number, shadowBox: THREE.Sphere | null) {
    for (const level of this.levels) level.filled = 0;
    const near = new THREE.Vector3();
    for (const tile of this.tiles) {
      const casts = shadowBox !== null && shadowBox.intersectsBox(tile.box);
      if (!casts && !frustum.intersectsBox(tile.box)) continue;
      const least = tile.box.clampPoint(eye, near).distanceTo(eye) * shift;
      const most = least + TILE * 2 * shift;
      const a = this.levelAt(least, lowest);
      if (a === this.levelAt(most, lowest)) this.add(a, tile.first, tile.count);
      else
        for (let k = tile.first; k < tile.first + tile.count; k++) {
          const dx = (this.places[k * 4] ?? 0) - eye.x;
          const dy = (this.places[k * 4 + 1] ?? 0) - eye.y;
          const dz = (this.places[k * 4 + 2] ?? 0) - eye.z;
          const size = this.places[k * 4 + 3] ?? 1;
          this.add(this.levelAt((Math.hypot(dx, dy, dz) / size) * shift, lowest), k, 1);
        }
    }
    for (const level of this.levels)
      for (const made of level.meshes) {
        made.count = level.filled;
        made.visible = level.filled > 0;
        if (level.filled) {
          made.instanceMatrix.clearUpdateRanges();
          made.instanceMatrix.addUpdateRange(0, level.filled * 16);
          made.instanceMatrix.needsUpdate = true;
        }
      }
  }

  private levelAt(distance: number, lowest: number): number {
    let l = 0;
    while (l < this.levels.length - 1 && distance > (this.levels[l]?.until ?? 0)) l++;
    return Math.max(l, Math.min(lowest, this.levels.length - 1));
  }

  private add(l: number, first: number, count: number) {
    const level = this.levels[l] as Level;
    const from = this.matrices.subarray(first * 16, (first + count) * 16);
    for (const made of level.meshes) (made.instanceMatrix.array as Float32Array).set(from, level.filled * 16);
    level.filled += count;
  }

  dispose() {
    for (const level of this.levels) for (const made of level.meshes) made.dispose();
  }
}

/** All variants of one scatter layer. */
export class InstancedLayer {
  readonly group = new THREE.Group();
  readonly box = new THREE.Box3();
  private batches: Batch[] = [];
  private shown = '';

  /** Load what the layer came to; the old stays until the new is there. */
  async set(view: LayerView): Promise<boolean> {
    const key = `${view.placements} ${(view.variants ?? []).map((v) => v.levels.map((l) => l.mesh).join()).join()}`;
    if (key === this.shown || !view.placements) return false;
    this.shown = key;
    const variants = view.variants ?? [];
    const [data, ...loaded] = await Promise.all([
      buffer(view.placements),
      ...variants.map((v) => Promise.all(v.levels.map((l) => mesh(l.mesh)))),
    ]);
    if (this.shown !== key) return false;
    const n = view.count;
    const position = new Float32Array(data, 0, n * 3);
    const rotation = new Float32Array(data, n * 12, n * 4);
    const scale = new Float32Array(data, n * 28, n * 3);
    const variant = new Uint32Array(data, n * 40, n);
    const rows: number[][] = variants.map(() => []);
    this.box.makeEmpty();
    for (let i = 0; i < n; i++) {
      rows[variant[i] ?? 0]?.push(i);
      this.box.expandByPoint(new THREE.Vector3().fromArray(position, i * 3));
    }
    for (const batch of this.batches) batch.dispose();
    this.group.clear();
    this.batches = variants.flatMap((v, k) => {
      const mine = rows[k] ?? [];
      if (!mine.length) return [];
      return [
        new Batch(
          this.group,
          mine,
          { position, rotation, scale },
          loaded[k] ?? [],
          v.levels.map((l) => l.until ?? Infinity),
          v.height,
        ),
      ];
    });
    return true;
  }

  fill(frustum: THREE.Frustum, eye: THREE.Vector3, shift: number, lowest: number, shadowBox: THREE.Sphere | null) {
    for (const batch of this.batches) batch.fill(frustum, eye, shift, lowest, shadowBox);
  }

  dispose() {
    for (const batch of this.batches) batch.dispose();
  }
}
