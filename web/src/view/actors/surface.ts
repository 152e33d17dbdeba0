/** What things stand on. */
import * as THREE from 'three';
import type { LayerView } from '../../api/client';
import { Blades } from '../blades';
import { buffer } from '../blobs';
import { holdMeshes } from '../glb';
import { meets, nearer, type Hit } from '../pick';
import { loadCovers, SplatMap, tintCovers } from '../covers';
import { Ground, HeightField } from '../ground';
import type { Stage } from '../stage';
import type { Actor, Frame } from './actor';

export class SurfaceActor implements Actor {
  readonly ground = new Ground();
  private readonly blades = new Blades();
  private readonly held = holdMeshes();
  private readonly splat = new SplatMap();
  private shown = '';
  private dress = ' false'; // what it is made of, where it is made of triangles

  constructor(private readonly stage: Stage) {
    stage.scene.add(this.ground.group, this.blades.mesh);
  }

  get field(): HeightField | null {
    return this.ground.field;
  }

  async sync(view: LayerView, signal: AbortSignal, far: boolean) {
    const surface = view.surface;
    if (!surface) return;
    if (far) tintCovers(surface);
    const changed = surface.heights !== this.shown;
    const dress = `${surface.mesh} ${surface.bare}`;
    const [data, loaded, lay] = await Promise.all([
      changed ? buffer(surface.heights, signal) : null,
      surface.mesh && dress !== this.dress ? this.held.take(surface.mesh) : null,
      this.splat.fetch(surface, signal),
      far ? null : loadCovers(surface, signal),
    ]);
    if (signal.aborted) return;
    lay();
    if (data) {
      this.shown = surface.heights;
      this.ground.set(new HeightField(new Float32Array(data), surface.samples, surface.size));
    }
    if (dress !== this.dress) {
      this.dress = dress;
      this.ground.wear(loaded?.parts ?? [], surface.bare);
      this.held.keep(surface.mesh ? [surface.mesh] : []);
    }
  }

  bounds() {
    if (this.ground.worn.length) return new THREE.Box3().setFromObject(this.ground.group);
    const half = (this.field?.size ?? 100) / 2;
    return new THREE.Box3(new THREE.Vector3(-half, -2, -half), new THREE.Vector3(half, 12, half));
  }

  pick(ray: THREE.Ray) {
    const { worn } = this.ground;
    if (worn.length)
      return worn.reduce<Hit | null>((best, m) => nearer(best, meets(ray, m.geometry, m.matrixWorld)), null);
    const point = this.field?.hit(ray);
    return point ? { point, distance: point.distanceTo(ray.origin) } : null;
  }

  prepare({ camera, coarse, frustum }: Frame) {
    const { field } = this;
    if (!field) return;
    this.ground.prepare(camera, coarse);
    this.stage.paths.prepare(this.stage.renderer.gl, field.size, camera.position);
    // blades stand on heights
    if (this.ground.group.visible && !this.ground.worn.length && !this.stage.coming)
      this.blades.prepare(field, camera, frustum);
    else this.blades.mesh.visible = false;
  }

  setVisible(visible: boolean) {
    this.ground.group.visible = visible;
  }

  dispose() {
    this.held.keep();
    this.splat.dispose();
    this.ground.dispose();
    this.blades.dispose();
    this.stage.scene.remove(this.ground.group, this.blades.mesh);
  }
}
