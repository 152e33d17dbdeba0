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

interface Shown {
  address: string;
  meshes: THREE.Mesh[];
}

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
    const loaded = await Promise.all(
      [...wanted.values()]
        .filter((s) => this.shown.get(s.name)?.address !== s.mesh)
        .map(async (s) => ({ solid: s, loaded: await this.held.take(s.mesh) })),
    );
    if (signal.aborted) return;
    for (const [name, old] of this.shown)
      if (wanted.get(name)?.mesh !== old.address) {
        old.meshes.forEach((m) => m.removeFromParent());
        this.shown.delete(name);
      }
    for (const { solid, loaded: found } of loaded) {
      const meshes = found.parts.map((part) => this.dress(part.geometry, part.material, solid.finish));
      for (const m of meshes) if (m.visible && !surfaceOf(solid.finish)) this.group.add(m);
      this.shown.set(solid.name, { address: solid.mesh, meshes });
    }
    this.held.keep([...wanted.values()].map((s) => s.mesh));
    // paths lie in the ground and not on it
    const paths = [...wanted.values()].flatMap(({ name, finish }) => {
      const surface = surfaceOf(finish);
      return surface ? (this.shown.get(name)?.meshes ?? []).map(({ geometry }) => ({ geometry, surface })) : [];
    });
    if (paths.length || this.trodden) this.stage.paths.put(this, paths);
    this.trodden = paths.length > 0;
    this.flood([...wanted.values()].find((s) => s.finish === 'water')?.name);
  }

  private dress(geometry: THREE.BufferGeometry, material: THREE.Material, finish: string): THREE.Mesh {
    const made = new THREE.Mesh(geometry, material);
    made.castShadow = made.receiveShadow = true;
    made.visible = finish !== 'water'; // it has an actor's own surface, with what it mirrors
    return made;
  }

  private flood(name: string | undefined) {
    const box = new THREE.Box3();
    for (const m of this.shown.get(name ?? '')?.meshes ?? []) {
      m.geometry.computeBoundingBox();
      if (m.geometry.boundingBox) box.union(m.geometry.boundingBox);
    }
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
    for (const { meshes } of this.shown.values()) for (const m of meshes) if (m.visible) box.expandByObject(m);
    return box;
  }

  pick(ray: THREE.Ray) {
    let best: Hit | null = null;
    if (this.group.visible)
      for (const { meshes } of this.shown.values())
        for (const m of meshes) if (m.visible) best = nearer(best, meets(ray, m.geometry, m.matrixWorld));
    return best;
  }

  prepare({ camera, coarse }: Frame) {
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
