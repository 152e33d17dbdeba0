/** What things stand on. */
import * as THREE from 'three';
import type { LayerView } from '../../api/client';
import { Blades } from '../blades';
import { buffer } from '../blobs';
import { loadCovers, tintCovers } from '../covers';
import { Ground, HeightField } from '../ground';
import type { Stage } from '../stage';
import type { Actor, Frame } from './actor';

export class SurfaceActor implements Actor {
  readonly ground = new Ground();
  private readonly blades = new Blades();
  private shown = '';

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
    const [data] = await Promise.all([
      changed ? buffer(surface.heights, signal) : null,
      far ? null : loadCovers(surface, signal),
    ]);
    if (signal.aborted || !data) return;
    this.shown = surface.heights;
    this.ground.set(new HeightField(new Float32Array(data), surface.samples, surface.size));
  }

  bounds() {
    const half = (this.field?.size ?? 100) / 2;
    return new THREE.Box3(new THREE.Vector3(-half, -2, -half), new THREE.Vector3(half, 12, half));
  }

  pick(ray: THREE.Ray) {
    const point = this.field?.hit(ray);
    return point ? { point, distance: point.distanceTo(ray.origin) } : null;
  }

  prepare({ camera, coarse, frustum }: Frame) {
    const { field } = this;
    if (!field) return;
    this.ground.prepare(camera, coarse);
    this.stage.paths.prepare(this.stage.renderer.gl, field.size, camera.position);
    if (this.ground.group.visible && !this.stage.coming) this.blades.prepare(field, camera, frustum);
    else this.blades.mesh.visible = false;
  }

  setVisible(visible: boolean) {
    this.ground.group.visible = visible;
  }

  dispose() {
    this.ground.dispose();
    this.blades.dispose();
    this.stage.scene.remove(this.ground.group, this.blades.mesh);
  }
}
