/** Placements by tile, drawn at the level of detail that the distance asks for. Tiles come and go by their keys. */
import * as THREE from 'three';
import type { Lamp, LayerView, Shadow, Variant } from '../../api/client';
import { buffers } from '../blobs';
import { cardMesh, holdMeshes, type LoadedMesh } from '../glb';
import { matrixOf, placeOf, sizeOf, turnOf, widthOf } from '../instances';
import type { Standing } from '../lamps';
import { meets, nearer, type Hit } from '../pick';
import type { Stage } from '../stage';
import type { Point, Stood } from '../tools/tool';
import type { Obstacle } from '../walker.svelte';
import type { Actor, Frame } from './actor';
import { Batch } from './batch';
import { wind } from '../materials';
import { along, cellsOf, rowOf, type Cell, type Extent } from './cells';
import { Spin } from './spin';

const UP = new THREE.Vector3(0, 1, 0);

export class PlacementsActor implements Actor {
  readonly group = new THREE.Group();
  private tiles = new Map<string, Cell[]>(); // by key
  private extents: Extent[] = []; // of the variants
  private batches: (Batch | null)[] = [];
  private variants: Variant[] = [];
  private shadow: Shadow = 'casts';
  private lamps: Lamp[][] = []; // of the variants
  private readonly held = holdMeshes();
  private readonly spin = new Spin();

  constructor(private readonly stage: Stage) {
    stage.scene.add(this.group);
  }

  async sync(view: LayerView, signal: AbortSignal, far: boolean) {
    const placed = view.placements;
    if (!placed) return;
    const extents = placed.variants.map((v) => ({ height: v.height, radius: v.canopy_radius }));
    // a tile is read anew when its variants' sizes differ, since its boxes hang on them
    const sizes = extents.map(({ height, radius }) => `${height.toFixed(2)} ${radius.toFixed(2)}`).join();
    const keyOf = (data: string) => `${data} ${sizes}`;
    const missing = placed.tiles.filter((t) => !this.tiles.has(keyOf(t.data)));
    const [data, loaded] = await Promise.all([
      buffers(
        missing.map((t) => t.data),
        signal,
      ),
      Promise.all(placed.variants.map((v) => (v.count ? this.levelsOf(v, far) : []))),
    ]);
    if (signal.aborted) return;
    const read = new Map(missing.map((t, k) => [keyOf(t.data), cellsOf(data[k] as ArrayBuffer, t.count, extents)]));
    const next = new Map<string, Cell[]>();
    for (const t of placed.tiles) {
      const key = keyOf(t.data);
      next.set(key, this.tiles.get(key) ?? read.get(key) ?? []);
    }
    [this.tiles, this.extents] = [next, extents];
    if (this.spin.set(placed.spin) || this.spin.turns) this.spin.begin();
    this.stage.spins(this, this.spin.turns);
    this.dress(placed.variants, loaded);
    this.held.keep(placed.variants.flatMap((v) => (v.count ? v.levels.map((l) => l.mesh) : [])));
    this.lamps = placed.variants.map((v) => v.lamps);
    this.variants = placed.variants;
    this.lightUp();
  }

  /** Tell the stage of the lamps that stand here and are seen. */
  private lightUp() {
    const out: Standing[] = [];
    if (this.group.visible && this.lamps.some((own) => own.length)) {
      const matrix = new THREE.Matrix4();
      for (const cell of this.cells())
        for (const lamp of this.lamps[cell.variant] ?? [])
          for (let k = 0; k < cell.count; k++)
            out.push({
              at: new THREE.Vector3(...lamp.position).applyMatrix4(matrixOf(cell.list, k, matrix)),
              lamp,
              size: sizeOf(cell.list, k),
            });
    }
    this.stage.lamps.set(this, out);
  }

  /** The meshes of a variant's levels, nearest first; of `far` the last alone. */
  private levelsOf({ levels, card }: Variant, far: boolean): Promise<(LoadedMesh | null)[]> {
    const last = levels.length - 1;
    return Promise.all(
      levels.map(({ mesh }, k) => {
        if (k === last && card) return this.held.take(mesh, () => Promise.resolve(cardMesh(card)));
        return far && k < last ? null : this.held.take(mesh);
      }),
    );
  }

  private dress(variants: Variant[], loaded: (LoadedMesh | null)[][]) {
    const old = this.batches;
    this.batches = variants.map((v, k) => {
      if (!v.count) return null;
      const key = v.levels.map((l, n) => (loaded[k]?.[n] ? l.mesh : '')).join();
      const same = old.find((b) => b?.key === key);
      if (same) {
        same.reserve(v.count);
        return same;
      }
      const untils = v.levels.map((l) => l.switch_distance ?? Infinity);
      const made = new Batch(this.group, key, loaded[k] ?? [], untils, v.height, v.count);
      made.throwShadows(this.shadow !== 'none');
      return made;
    });
    for (const batch of old) if (batch && !this.batches.includes(batch)) batch.dispose();
  }

  private *cells(): Iterable<Cell> {
    for (const cells of this.tiles.values()) yield* cells;
  }

  bounds() {
    const box = new THREE.Box3();
    for (const cell of this.cells()) box.union(cell.box);
    return box;
  }

  /** Where a ray first meets an instance: on the last level that still has the shape. */
  pick(ray: THREE.Ray, hard = false, but?: (at: Point) => boolean) {
    if (!this.group.visible || this.shadow === 'only') return null;
    const nearby: { cell: Cell; k: number; from: number }[] = [];
    for (const cell of this.cells()) {
      const extent = this.extents[cell.variant];
      if (hard && !this.variants[cell.variant]?.hard) continue;
      if (extent && ray.intersectsBox(cell.box)) along(cell, extent, ray, (k, from) => nearby.push({ cell, k, from }));
    }
    nearby.sort((a, b) => a.from - b.from);
    let best: Hit | null = null;
    const [matrix, at] = [new THREE.Matrix4(), new THREE.Vector3()];
    for (const { cell, k, from } of nearby) {
      if (best && from > best.distance) break;
      placeOf(cell.list, k, at);
      if (but?.(at)) continue;
      for (const part of this.batches[cell.variant]?.shape?.parts ?? []) {
        const hit = meets(ray, part.geometry, matrixOf(cell.list, k, matrix));
        best = nearer(best, hit && { ...hit, placement: cell.ids[k], row: [cell, k] });
      }
    }
    return best;
  }

  /** The placement that a ray meets first, as it stands. */
  stood(ray: THREE.Ray): Stood | null {
    const { row } = this.pick(ray) ?? {};
    return row ? this.standing(...row) : null;
  }

  /** What of it is in the way of one who walks, near a place. */
  stops(x: number, z: number, reach: number): Obstacle[] {
    if (!this.group.visible || this.shadow === 'only') return [];
    const out: Obstacle[] = [];
    const [at, turn, front] = [new THREE.Vector3(), new THREE.Quaternion(), new THREE.Vector3()];
    for (const cell of this.cells()) {
      const variant = this.variants[cell.variant];
      const { min, max } = cell.box;
      if (!variant?.stops.length || x < min.x - reach || x > max.x + reach) continue;
      if (z < min.z - reach || z > max.z + reach) continue;
      for (let k = 0; k < cell.count; k++) {
        placeOf(cell.list, k, at);
        const size = widthOf(cell.list, k);
        if (Math.hypot(at.x - x, at.z - z) > reach + size * variant.canopy_radius) continue;
        front.set(0, 0, 1).applyQuaternion(turnOf(cell.list, k, turn));
        const [s, c] = [front.x * size, front.z * size];
        for (const stop of variant.stops)
          out.push({
            name: variant.name,
            ring: stop.ring.map(([a, b]) => [at.x + a * c + b * s, at.z - a * s + b * c]),
            round: stop.round * size,
          });
      }
    }
    return out;
  }

  /** Those that are wanted, as they stand. */
  *wanted(is: (id: bigint, at: THREE.Vector3, asset: string) => boolean): Iterable<Stood> {
    const at = new THREE.Vector3();
    for (const cell of this.cells()) {
      const asset = this.variants[cell.variant]?.asset ?? '';
      for (let k = 0; k < cell.count; k++) {
        const found = is(cell.ids[k] as bigint, placeOf(cell.list, k, at), asset) && this.standing(cell, k);
        if (found) yield found;
      }
    }
  }

  private standing(cell: Cell, k: number): Stood | null {
    const variant = this.variants[cell.variant];
    if (!variant) return null;
    const { list } = cell;
    const turn = turnOf(list, k, new THREE.Quaternion());
    const up = UP.clone().applyQuaternion(turn);
    // what is left when it is set upright again
    const front = new THREE.Vector3(0, 0, 1).applyQuaternion(turn);
    front.applyQuaternion(new THREE.Quaternion().setFromUnitVectors(up, UP));
    const [size, height] = [widthOf(list, k), sizeOf(list, k)];
    return {
      id: `${cell.ids[k]}`,
      at: placeOf(list, k, new THREE.Vector3()),
      asset: variant.asset,
      seed: variant.seed,
      turn: (THREE.MathUtils.radToDeg(Math.atan2(front.x, -front.z)) + 360) % 360,
      up: [up.x, up.z],
      size,
      tall: height / size,
    };
  }

  /** Draws of what is seen in its numbers, from `from` on; gives how many there are. */
  number(from: number, draws: THREE.Mesh[]): number {
    if (!this.group.visible) return 0;
    return this.batches.reduce((sum, batch) => sum + (batch?.number(from + sum, draws) ?? 0), 0);
  }

  /** The id of the placement with a number, told from the first of this layer; null where there is none. */
  numbered(number: number): bigint | null {
    let rest = number;
    for (const [variant, batch] of this.batches.entries()) {
      const found = batch?.numbered(rest);
      rest -= batch?.filled ?? 0;
      if (!found) continue;
      const at = placeOf(found.list, found.row, new THREE.Vector3());
      for (const cell of this.cells()) {
        if (cell.variant !== variant || !cell.box.containsPoint(at)) continue;
        const k = rowOf(cell, found.list, found.row);
        if (k >= 0) return cell.ids[k] ?? null;
      }
      return null;
    }
    return null;
  }

  /** Fill every level with the instances that the camera sees at it. */
  prepare(frame: Frame) {
    if (!this.group.visible) return;
    const { camera, coarse } = frame;
    const seconds = wind.windTime.value;
    if (this.spin.behind(seconds)) this.spin.turn(this.cells(), seconds);
    const pixels = this.stage.pixelsTall / (2 * Math.tan(THREE.MathUtils.degToRad(camera.fov / 2)));
    for (const batch of this.batches) batch?.begin(coarse ? 1 : 0, pixels);
    for (const cell of this.cells()) {
      const batch = this.batches[cell.variant];
      if (batch) fill(batch, cell, frame, this.shadow);
    }
    for (const batch of this.batches) batch?.finish();
  }

  setShadow(shadow: Shadow) {
    if (shadow === this.shadow) return;
    this.shadow = shadow;
    for (const batch of this.batches) batch?.throwShadows(shadow !== 'none');
  }

  setVisible(visible: boolean) {
    if (visible === this.group.visible) return;
    this.group.visible = visible;
    this.lightUp();
  }

  dispose() {
    for (const batch of this.batches) batch?.dispose();
    this.stage.lamps.set(this, []);
    this.stage.spins(this, false);
    this.held.keep();
    this.tiles.clear();
    this.stage.scene.remove(this.group);
  }
}

const place = new THREE.Vector3();

/** Give what is seen of a cell to the levels of its batch. */
function fill(batch: Batch, cell: Cell, { camera, frustum, coarse, shift, shadows }: Frame, shadow: Shadow) {
  const seen = shadow !== 'only' && frustum.intersectsBox(cell.box);
  const shades = shadow !== 'none' && (shadows?.intersectsBox(cell.box) ?? false);
  if (!seen && !shades) return;
  const put = (step: number, k: number, count: number) => {
    const l = batch.levelOf(step);
    if (seen) batch.add(cell, l, k, count);
    const shade = Math.max(l, batch.finestShade);
    if (shades && !(seen && shade === l)) batch.shade(cell, shade, k, count);
  };
  const eye = camera.position;
  const least = cell.box.clampPoint(eye, place).distanceTo(eye);
  const [nearest, some] = batch.at((least * shift) / cell.largest);
  const [farthest, rest] = batch.at(((least + cell.span) * shift) / cell.smallest);
  if (nearest === farthest && some === 1 && rest === 1) return put(nearest, 0, cell.count);
  for (let k = 0; k < cell.count; k++) {
    const distance = placeOf(cell.list, k, place).distanceTo(eye) / sizeOf(cell.list, k);
    const [step, share] = batch.at(distance * shift);
    if (share === 1 || coarse || !seen) put(share < 0.5 ? step + 1 : step, k, 1);
    else {
      batch.addPart(cell, batch.levelOf(step), k, share, false);
      batch.addPart(cell, batch.levelOf(step + 1), k, 1 - share, true);
    }
  }
}
