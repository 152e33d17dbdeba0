/** Placements by tile, drawn at the level of detail that the distance asks for. Tiles come and go by their keys. */
import * as THREE from 'three';
import type { LayerView, Variant } from '../../api/client';
import { buffers } from '../blobs';
import { holdMeshes, type LoadedMesh } from '../glb';
import { meets, nearer, type Hit } from '../pick';
import type { Stage } from '../stage';
import type { Actor, Frame } from './actor';

const TILE = 64; // metres
const LOW = 1.3; // metres; of what is no taller, the farthest level casts no shadow
const PARTS = 4; // a tile is culled in so many parts on each axis

/** Instances of one variant in a part of a tile. */
interface Cell {
  variant: number;
  box: THREE.Box3;
  span: number; // from corner to corner, metres
  count: number;
  matrices: Float32Array;
  places: Float32Array; // x, y, z, size
}

interface Level {
  until: number;
  meshes: THREE.InstancedMesh[];
  lists: THREE.InstancedBufferAttribute[]; // of matrices; meshes may share them
  filled: number;
  shades: Float32Array[]; // of what is not seen at this level, but casts its shadow at it
  shaded: number;
}

/** One tile's placements, sorted by variant and part. */
export function cellsOf(data: ArrayBuffer, count: number, heights: number[]): Cell[] {
  const position = new Float32Array(data, 0, count * 3);
  const rotation = new Float32Array(data, count * 12, count * 4);
  const scale = new Float32Array(data, count * 28, count * 3);
  const variant = new Uint32Array(data, count * 40, count);
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
  const [m, p, q, s] = [new THREE.Matrix4(), new THREE.Vector3(), new THREE.Quaternion(), new THREE.Vector3()];
  return [...rows.values()].map((list) => {
    const row = variant[list[0] ?? 0] ?? 0;
    const height = heights[row] ?? 1;
    const cell: Cell = {
      variant: row,
      box: new THREE.Box3(),
      span: 0,
      count: list.length,
      matrices: new Float32Array(list.length * 16),
      places: new Float32Array(list.length * 4),
    };
    list.forEach((i, k) => {
      p.fromArray(position, i * 3);
      q.fromArray(rotation, i * 4);
      s.fromArray(scale, i * 3);
      m.compose(p, q, s).toArray(cell.matrices, k * 16);
      cell.places.set([p.x, p.y, p.z, s.y], k * 4);
      const reach = height * s.y * 0.6;
      cell.box.expandByPoint(new THREE.Vector3(p.x - reach, p.y - 0.5, p.z - reach));
      cell.box.expandByPoint(new THREE.Vector3(p.x + reach, p.y + height * s.y * 1.1, p.z + reach));
    });
    cell.span = cell.box.getSize(new THREE.Vector3()).length();
    return cell;
  });
}

/** One variant's levels of detail, with room for its instances. */
class Batch {
  readonly levels: Level[];

  constructor(
    private readonly group: THREE.Group,
    readonly key: string,
    private readonly loaded: LoadedMesh[],
    untils: number[],
    private readonly height: number,
    private room: number,
  ) {
    this.levels = untils.map((until) => ({ until, meshes: [], lists: [], filled: 0, shades: [], shaded: 0 }));
    this.build();
  }

  /** Make room for `count` instances. */
  reserve(count: number) {
    if (count <= this.room) return;
    this.room = Math.ceil(count * 1.3);
    this.dispose();
    this.build();
  }

  private build() {
    const finest = this.finestShade;
    this.levels.forEach((level, l) => {
      level.meshes = (this.loaded[l]?.parts ?? []).flatMap((part) => {
        const lit = this.instances(part.geometry, part.twice?.light ?? part.material);
        lit.customDepthMaterial = part.shadow;
        lit.castShadow = l >= finest && (l < this.levels.length - 1 || this.height > LOW);
        lit.receiveShadow = true;
        lit.onBeforeShadow = () => void (lit.count = level.filled + level.shaded);
        lit.onAfterShadow = () => void (lit.count = level.filled);
        if (!part.twice) return [lit];
        const found = this.instances(part.geometry, part.twice.find);
        found.instanceMatrix = lit.instanceMatrix;
        found.renderOrder = -1;
        return [lit, found];
      });
      level.lists = [...new Set(level.meshes.map((m) => m.instanceMatrix))];
    });
  }

  /** The finest level that casts shadows: the nearest is not seen in them. */
  get finestShade() {
    return Math.min(1, this.levels.length - 1);
  }

  private instances(geometry: THREE.BufferGeometry, material: THREE.Material): THREE.InstancedMesh {
    const made = new THREE.InstancedMesh(geometry, material, this.room);
    made.frustumCulled = false;
    made.count = 0;
    this.group.add(made);
    return made;
  }

  levelAt(distance: number, lowest: number): number {
    let l = 0;
    while (l < this.levels.length - 1 && distance > (this.levels[l]?.until ?? 0)) l++;
    return Math.max(l, Math.min(lowest, this.levels.length - 1));
  }

  /** Where a ray meets the instances of a cell: on the last level that still has the shape. */
  pick(cell: Cell, ray: THREE.Ray): Hit | null {
    const shape = this.loaded[Math.max(0, this.loaded.length - 2)];
    const matrix = new THREE.Matrix4();
    let best: Hit | null = null;
    for (let k = 0; k < cell.count; k++)
      for (const part of shape?.parts ?? [])
        best = nearer(best, meets(ray, part.geometry, matrix.fromArray(cell.matrices, k * 16)));
    return best;
  }

  add(cell: Cell, l: number, first: number, count: number) {
    const level = this.levels[l] as Level;
    const from = cell.matrices.subarray(first * 16, (first + count) * 16);
    for (const { array } of level.lists) (array as Float32Array).set(from, level.filled * 16);
    level.filled += count;
  }

  shade(cell: Cell, l: number, first: number, count: number) {
    const level = this.levels[l] as Level;
    level.shades.push(cell.matrices.subarray(first * 16, (first + count) * 16));
    level.shaded += count;
  }

  clear() {
    for (const level of this.levels) {
      level.filled = level.shaded = 0;
      level.shades = [];
    }
  }

  /** Hand the filled lists to the graphics card. */
  finish() {
    for (const level of this.levels) {
      const all = level.filled + level.shaded;
      for (const made of level.meshes) {
        made.count = level.filled;
        made.visible = all > 0;
      }
      if (!all) continue;
      for (const list of level.lists) {
        let at = level.filled * 16;
        for (const part of level.shades) {
          (list.array as Float32Array).set(part, at);
          at += part.length;
        }
        list.clearUpdateRanges();
        list.addUpdateRange(0, all * 16);
        list.needsUpdate = true;
      }
    }
  }

  dispose() {
    for (const level of this.levels)
      for (const made of level.meshes) {
        made.removeFromParent();
        made.dispose();
      }
  }
}

export class PlacementsActor implements Actor {
  readonly group = new THREE.Group();
  private tiles = new Map<string, Cell[]>(); // by key
  private batches: (Batch | null)[] = [];
  private readonly held = holdMeshes();

  constructor(private readonly stage: Stage) {
    stage.scene.add(this.group);
  }

  async sync(view: LayerView, signal: AbortSignal) {
    const placed = view.placements;
    if (!placed) return;
    const heights = placed.variants.map((v) => v.height);
    // a tile is read anew when its variants' heights differ, since its boxes hang on them
    const keyOf = (data: string) => `${data} ${heights.map((h) => h.toFixed(2)).join()}`;
    const missing = placed.tiles.filter((t) => !this.tiles.has(keyOf(t.data)));
    const [data, loaded] = await Promise.all([
      buffers(
        missing.map((t) => t.data),
        signal,
      ),
      Promise.all(placed.variants.map((v) => (v.count ? this.levelsOf(v) : []))),
    ]);
    if (signal.aborted) return;
    const read = new Map(missing.map((t, k) => [keyOf(t.data), cellsOf(data[k] as ArrayBuffer, t.count, heights)]));
    const next = new Map<string, Cell[]>();
    for (const t of placed.tiles) {
      const key = keyOf(t.data);
      next.set(key, this.tiles.get(key) ?? read.get(key) ?? []);
    }
    this.tiles = next;
    this.dress(placed.variants, loaded);
    this.held.keep(placed.variants.flatMap((v) => (v.count ? v.levels.map((l) => l.mesh) : [])));
  }

  private levelsOf(variant: Variant): Promise<LoadedMesh[]> {
    return Promise.all(variant.levels.map((l) => this.held.take(l.mesh)));
  }

  private dress(variants: Variant[], loaded: LoadedMesh[][]) {
    const old = this.batches;
    this.batches = variants.map((v, k) => {
      if (!v.count) return null;
      const key = v.levels.map((l) => l.mesh).join();
      const same = old.find((b) => b?.key === key);
      if (same) {
        same.reserve(v.count);
        return same;
      }
      const untils = v.levels.map((l) => l.switch_distance ?? Infinity);
      return new Batch(this.group, key, loaded[k] ?? [], untils, v.height, v.count);
    });
    for (const batch of old) if (batch && !this.batches.includes(batch)) batch.dispose();
  }

  bounds() {
    const box = new THREE.Box3();
    for (const cells of this.tiles.values()) for (const cell of cells) box.union(cell.box);
    return box;
  }

  pick(ray: THREE.Ray) {
    let best: Hit | null = null;
    if (this.group.visible)
      for (const cells of this.tiles.values())
        for (const cell of cells)
          if (ray.intersectsBox(cell.box)) best = nearer(best, this.batches[cell.variant]?.pick(cell, ray) ?? null);
    return best;
  }

  /** Fill every level with the instances that the camera sees at it. */
  prepare({ camera, frustum, coarse, shadows }: Frame) {
    if (!this.group.visible) return;
    const eye = camera.position;
    const shift = coarse ? 1.8 : 1;
    const lowest = coarse ? 1 : 0;
    const near = new THREE.Vector3();
    for (const batch of this.batches) batch?.clear();
    for (const cells of this.tiles.values())
      for (const cell of cells) {
        const batch = this.batches[cell.variant];
        if (!batch) continue;
        const seen = frustum.intersectsBox(cell.box);
        const shades = shadows?.intersectsBox(cell.box) ?? false;
        if (!seen && !shades) continue;
        const put = (l: number, first: number, count: number) => {
          if (seen) batch.add(cell, l, first, count);
          const shade = Math.max(l, batch.finestShade);
          if (shades && !(seen && shade === l)) batch.shade(cell, shade, first, count);
        };
        const least = cell.box.clampPoint(eye, near).distanceTo(eye) * shift;
        const a = batch.levelAt(least, lowest);
        if (a === batch.levelAt(least + cell.span * shift, lowest)) put(a, 0, cell.count);
        else
          for (let k = 0; k < cell.count; k++) {
            const dx = (cell.places[k * 4] ?? 0) - eye.x;
            const dy = (cell.places[k * 4 + 1] ?? 0) - eye.y;
            const dz = (cell.places[k * 4 + 2] ?? 0) - eye.z;
            const size = cell.places[k * 4 + 3] ?? 1;
            put(batch.levelAt((Math.hypot(dx, dy, dz) / size) * shift, lowest), k, 1);
          }
      }
    for (const batch of this.batches) batch?.finish();
  }

  setVisible(visible: boolean) {
    this.group.visible = visible;
  }

  dispose() {
    for (const batch of this.batches) batch?.dispose();
    this.held.keep();
    this.tiles.clear();
    this.stage.scene.remove(this.group);
  }
}
