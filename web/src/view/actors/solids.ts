/** Meshes with a place of their own, dressed in the finish that their layer gives them. */
import * as THREE from 'three';
import type { LayerView } from '../../api/client';
import { buffer } from '../blobs';
import { holdMeshes } from '../glb';
import { meets, nearer, type Hit } from '../pick';
import type { HeightField } from '../ground';
import type { Stage } from '../stage';
import { Water } from '../water';
import type { Actor, Frame } from './actor';

/** One level of a solid; it serves from so many metres on. */
interface Level {
  from: number;
  meshes: THREE.Mesh[];
}

interface Shown {
  addresses: string[]; // of its levels
  levels: Level[]; // nearest first
  box: THREE.Box3;
  water: boolean; // which is not drawn by itself
}

type SolidView = NonNullable<LayerView['solids']>[number];

/** The levels of a solid, nearest first, each with the metres from which on it serves. */
const levelsOf = (s: SolidView) => [
  { mesh: s.mesh, from: 0 },
  ...(s.coarser ?? []).map((l) => ({ mesh: l.mesh, from: l.switch_distance })),
];

/** What a path is made of; null for what is no path. */
const surfaceOf = (finish: string) => (finish.startsWith('path ') ? finish.slice(5) : null);

/** Fetched with all else that is asked for in the same turn: a path is many small pieces. */
const packed = (address: string) => buffer(address.slice(address.lastIndexOf('/') + 1));

export class SolidsActor implements Actor {
  private readonly group = new THREE.Group();
  private readonly shown = new Map<string, Shown>();
  private readonly held = holdMeshes(packed);
  private water: Water | null = null;
  private trodden = false;

  constructor(private readonly stage: Stage) {
    stage.scene.add(this.group);
  }

  async sync(view: LayerView, signal: AbortSignal) {
    const wanted = new Map((view.solids ?? []).map((s) => [s.name, s]));
    /** A draft has no coarser levels: those that are there stay as long as it is the same solid. */
    const fresh = (s: SolidView) => {
      const old = this.shown.get(s.name);
      return old?.addresses[0] !== s.mesh || old.levels.length < levelsOf(s).length;
    };
    const loaded = await Promise.all(
      [...wanted.values()].filter(fresh).map(async (solid) => ({
        solid,
        levels: await Promise.all(
          levelsOf(solid).map(async (l) => ({ from: l.from, loaded: await this.held.take(l.mesh) })),
        ),
      })),
    );
    if (signal.aborted) return;
    const renewed = new Set(loaded.map((l) => l.solid.name));
    for (const [name, old] of this.shown)
      if (renewed.has(name) || !wanted.has(name)) {
        for (const { meshes } of old.levels) meshes.forEach((m) => m.removeFromParent());
        this.shown.delete(name);
      }
    for (const { solid, levels } of loaded) {
      const made = levels.map(({ from, loaded: found }) => ({
        from,
        meshes: found.parts.map((part) => this.dress(part.geometry, part.material, solid.finish)),
      }));
      const box = new THREE.Box3();
      for (const m of made[0]?.meshes ?? []) {
        m.geometry.computeBoundingBox();
        if (m.geometry.boundingBox) box.union(m.geometry.boundingBox);
      }
      for (const { meshes } of made)
        for (const m of meshes) if (m.visible && !surfaceOf(solid.finish)) this.group.add(m);
      const addresses = levelsOf(solid).map((l) => l.mesh);
      this.shown.set(solid.name, { addresses, levels: made, box, water: solid.finish === 'water' });
    }
    this.held.keep([...this.shown.values()].flatMap((s) => s.addresses));
    // paths lie in the ground and not on it
    const paths = [...wanted.values()].flatMap(({ name, finish }) => {
      const surface = surfaceOf(finish);
      return surface ? this.near(name).map(({ geometry }) => ({ geometry, surface })) : [];
    });
    if (paths.length || this.trodden) this.stage.paths.put(this, paths);
    this.trodden = paths.length > 0;
    this.flood([...wanted.values()].find((s) => s.finish === 'water')?.name);
  }

  /** The meshes of a solid's nearest level. */
  private near(name: string): THREE.Mesh[] {
    return this.shown.get(name)?.levels[0]?.meshes ?? [];
  }

  private dress(geometry: THREE.BufferGeometry, material: THREE.Material, finish: string): THREE.Mesh {
    const made = new THREE.Mesh(geometry, material);
    made.castShadow = made.receiveShadow = true;
    made.visible = finish !== 'water'; // it has an actor's own surface, with what it mirrors
    return made;
  }

  private flood(name: string | undefined) {
    const box = new THREE.Box3();
    for (const m of this.near(name ?? '')) if (m.geometry.boundingBox) box.union(m.geometry.boundingBox);
    if (box.isEmpty()) return this.drain();
    if (!this.water) this.stage.scene.add((this.water = new Water(this.stage.atmosphere)).mesh);
    this.water.set(box.max.y, box.max.x - box.min.x);
  }

  private drain() {
    this.water?.mesh.removeFromParent();
    this.water?.dispose();
    this.water = null;
  }

  /** The ground under standing water. */
  over(field: HeightField) {
    this.water?.over(field);
  }

  /** The height of standing water; null where there is none. */
  get waterLevel(): number | null {
    return this.water?.mesh.position.y ?? null;
  }

  bounds() {
    const box = new THREE.Box3();
    for (const { box: own, water } of this.shown.values()) if (!water) box.union(own);
    return box;
  }

  pick(ray: THREE.Ray) {
    let best: Hit | null = null;
    if (this.group.visible)
      for (const [name, { water }] of this.shown)
        for (const m of water ? [] : this.near(name)) best = nearer(best, meets(ray, m.geometry, m.matrixWorld));
    return best;
  }

  prepare({ camera, coarse, shift }: Frame) {
    for (const { levels, box } of this.shown.values()) {
      if (levels.length < 2) continue;
      const away = box.distanceToPoint(camera.position) * shift;
      const seen = levels.findLastIndex((l) => away >= l.from);
      levels.forEach((l, k) => l.meshes.forEach((m) => (m.visible = k === seen)));
    }
    this.water?.reflect(this.stage.renderer.gl, this.stage.scene, camera, this.stage.atmosphere.dome, coarse);
  }

  setVisible(visible: boolean) {
    this.group.visible = visible;
    this.stage.paths.show(this, visible);
    if (this.water) this.water.mesh.visible = visible;
  }

  dispose() {
    this.drain();
    this.stage.paths.remove(this);
    this.held.keep();
    this.stage.scene.remove(this.group);
  }
}
