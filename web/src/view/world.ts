/** The scene in three dimensions: ground, water, paths and placements, kept in step with what the service says. */
import * as THREE from 'three';
import type { Evaluation, Layer, LayerView, Settings } from '../api/client';
import { buffer, mesh } from './glb';
import { Ground, HeightField } from './ground';
import { InstancedLayer } from './instances';
import { wind } from './materials';
import { Stage } from './stage';
import { NOISE } from './shaders';
import { Water } from './water';

const SURFACE: Record<string, [string, string]> = {
  earth: ['#7d6748', '#b59a70'],
  gravel: ['#77705f', '#a29a86'],
  stone: ['#6d6d68', '#8f8f89'],
  grass: ['#5b6a33', '#77833f'],
};

function pathMaterial(surface: string): THREE.MeshLambertMaterial {
  const [dark, light] = (SURFACE[surface] ?? SURFACE.earth) as [string, string];
  const made = new THREE.MeshLambertMaterial({
    transparent: true,
    depthWrite: false,
    polygonOffset: true,
    polygonOffsetFactor: -2,
    polygonOffsetUnits: -4,
  });
  made.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, {
      pathDark: { value: new THREE.Color(dark) },
      pathLight: { value: new THREE.Color(light) },
    });
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', '#include <common>\nvarying vec2 along;\nvarying vec3 place;')
      .replace('#include <begin_vertex>', '#include <begin_vertex>\nalong = uv; place = position;');
    shader.fragmentShader = shader.fragmentShader
      .replace(
        '#include <common>',
        `#include <common>\n${NOISE}\nvarying vec2 along;\nvarying vec3 place;\nuniform vec3 pathDark;\nuniform vec3 pathLight;`,
      )
      .replace(
        '#include <color_fragment>',
        /* glsl */ `
        float side = abs(along.x - 0.5) * 2.0;
        float wander = fbm2(place.xz * 0.6);
        float edge = 1.0 - smoothstep(0.50, 1.0, side + 0.5 * (wander - 0.5));
        float ruts = exp(-pow((side - 0.46) / 0.13, 2.0));
        float middle = exp(-pow(side / 0.22, 2.0));
        float fine = fbm2(place.xz * 3.1);
        vec3 c = mix(pathDark, pathLight, 0.25 + 0.75 * fine);
        c = mix(c, pathLight * 1.08, ruts * 0.6);
        c = mix(c, vec3(0.13, 0.15, 0.05), middle * smoothstep(0.40, 0.62, wander) * 0.75);
        diffuseColor = vec4(c, edge * 0.96);
        `,
      );
  };
  made.defines = { USE_UV: '' };
  made.customProgramCacheKey = () => 'plough path';
  return made;
}

export class World {
  readonly ground = new Ground();
  readonly water: Water;
  private readonly layers = new Map<string, InstancedLayer>();
  private readonly paths = new Map<string, { key: string; mesh: THREE.Mesh | null; line: Float32Array | null }>();
  private heights = '';
  private contours = 0;
  private waterLevel: number | null = null;

  constructor(readonly stage: Stage) {
    this.water = new Water(stage.atmosphere);
    stage.scene.add(this.ground.group, this.water.mesh);
    stage.controls.minDistance = 1;
    stage.onPrepare = (coarse) => this.prepare(coarse);
    stage.shadowAt = () => {
      const d = stage.camera.position.distanceTo(stage.controls.target);
      const ahead = new THREE.Vector3().subVectors(stage.controls.target, stage.camera.position);
      ahead.setLength(Math.min(d, 34));
      return [ahead.add(stage.camera.position), THREE.MathUtils.clamp(d * 0.8, 42, 150)];
    };
  }

  /** Bring the view in step with an evaluation; what has not changed is left alone. */
  async show(evaluation: Evaluation, layers: Layer[], current: () => boolean): Promise<void> {
    const hidden = new Set(layers.filter((l) => l.hidden).map((l) => l.id));
    await Promise.all(
      evaluation.layers.map(async (view) => {
        const layer = layers.find((l) => l.id === view.id);
        if (!layer) return;
        if (view.heights) await this.showGround(view, current);
        else if (layer.kind === 'path') await this.showPath(view, layer);
        else if (layer.kind === 'scatter') await this.showScatter(view);
      }),
    );
    if (!current()) return;
    const known = new Set(evaluation.layers.map((l) => l.id));
    for (const [id, layer] of this.layers) {
      layer.group.visible = !hidden.has(id);
      if (known.has(id)) continue;
      this.stage.scene.remove(layer.group);
      layer.dispose();
      this.layers.delete(id);
    }
    for (const [id, path] of this.paths) {
      if (path.mesh) path.mesh.visible = !hidden.has(id);
      if (known.has(id)) continue;
      path.mesh?.removeFromParent();
      this.paths.delete(id);
    }
    this.stage.refresh();
  }

  private async showGround(view: LayerView, current: () => boolean) {
    this.waterLevel = view.water ?? null;
    if (view.heights && view.heights !== this.heights) {
      const data = await buffer(view.heights);
      if (!current()) return;
      this.heights = view.heights;
      this.ground.set(new HeightField(new Float32Array(data), view.samples ?? 2, view.size ?? 1), this.look);
    } else if (this.ground.field) this.ground.set(this.ground.field, this.look);
    this.water.set(this.waterLevel, this.ground.field?.size ?? 1);
    const size = this.ground.field?.size ?? 512;
    this.stage.atmosphere.fog.density = 0.62 / Math.max(400, size * 1.1);
    (this.water.mesh.material.uniforms.fogThick as THREE.IUniform).value = this.stage.atmosphere.fog.density;
  }

  private get look() {
    return { water: this.waterLevel, contours: this.contours };
  }

  setContours(metres: number) {
    this.contours = metres;
    if (this.ground.field) this.ground.set(this.ground.field, this.look);
    this.stage.refresh();
  }

  setSettings(settings: Settings, dusk: boolean) {
    this.stage.atmosphere.set(settings.sun.azimuth, settings.sun.elevation, dusk);
    const from = THREE.MathUtils.degToRad(settings.wind.azimuth);
    wind.windForce.value.set(-Math.sin(from) * settings.wind.speed, Math.cos(from) * settings.wind.speed);
    this.stage.refresh();
  }

  private async showPath(view: LayerView, layer: Layer) {
    const key = `${view.mesh} ${String(layer.parameters.surface)}`;
    let path = this.paths.get(view.id);
    if (!path) this.paths.set(view.id, (path = { key: '', mesh: null, line: null }));
    if (path.key === key || !view.mesh) return;
    path.key = key;
    const loaded = await mesh(view.mesh);
    if (path.key !== key) return;
    const geometry = loaded.parts[0]?.geometry;
    if (!geometry) return;
    path.mesh?.removeFromParent();
    const positions = geometry.getAttribute('position');
    if (!geometry.getAttribute('uv')) geometry.setAttribute('uv', ribbonUv(positions.count));
    path.mesh = new THREE.Mesh(geometry, pathMaterial(String(layer.parameters.surface)));
    path.mesh.receiveShadow = true;
    path.mesh.renderOrder = 2;
    path.line = positions.array as Float32Array;
    this.stage.scene.add(path.mesh);
  }

  private async showScatter(view: LayerView) {
    let layer = this.layers.get(view.id);
    if (!layer) {
      this.layers.set(view.id, (layer = new InstancedLayer()));
      this.stage.scene.add(layer.group);
    }
    await layer.set(view);
  }

  private prepare(coarse: boolean) {
    const { camera, renderer, scene, atmosphere } = this.stage;
    camera.updateMatrixWorld();
    this.ground.prepare(camera, coarse);
    const frustum = new THREE.Frustum().setFromProjectionMatrix(
      new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse),
    );
    const [centre, reach] = this.stage.shadowAt();
    const shadowBox = coarse ? null : new THREE.Sphere(centre, reach * 0.8);
    for (const layer of this.layers.values())
      if (layer.group.visible) layer.fill(frustum, camera.position, coarse ? 1.8 : 1, coarse ? 1 : 0, shadowBox);
    this.water.reflect(renderer, scene, camera, atmosphere.dome, coarse);
  }

  /** The point of the ground under the pointer. */
  groundAt(event: MouseEvent): THREE.Vector3 | null {
    const ray = new THREE.Raycaster();
    ray.setFromCamera(this.stage.pointer(event), this.stage.camera);
    return this.ground.field?.hit(ray.ray) ?? null;
  }

  /** Points of a layer's outline on the ground, for drawing over the view. */
  outline(layer: Layer): THREE.Vector3[] {
    const field = this.ground.field;
    if (!field) return [];
    if (layer.kind === 'path') {
      const line = this.paths.get(layer.id)?.line;
      if (!line) return [];
      const out: THREE.Vector3[] = [];
      for (let k = 2; k < line.length / 3; k += 15) out.push(new THREE.Vector3().fromArray(line, k * 3));
      return out;
    }
    const corners = (layer.parameters.corners ?? []) as [number, number][];
    const out: THREE.Vector3[] = [];
    corners.forEach(([x, z], k) => {
      const [nx, nz] = corners[(k + 1) % corners.length] as [number, number];
      const steps = Math.max(2, Math.ceil(Math.hypot(nx - x, nz - z) / 4));
      for (let s = 0; s < steps; s++) {
        const px = x + ((nx - x) * s) / steps;
        const pz = z + ((nz - z) * s) / steps;
        out.push(new THREE.Vector3(px, field.height(px, pz) + 0.15, pz));
      }
    });
    return out;
  }

  /** The space that a layer takes up. */
  bounds(layer: Layer): THREE.Box3 {
    const scattered = this.layers.get(layer.id);
    if (scattered && !scattered.box.isEmpty()) return scattered.box.clone().expandByScalar(3);
    const points = layer.kind === 'path' || layer.kind === 'area' ? this.outline(layer) : [];
    if (points.length) return new THREE.Box3().setFromPoints(points);
    const half = (this.ground.field?.size ?? 100) / 2;
    return new THREE.Box3(new THREE.Vector3(-half, -2, -half), new THREE.Vector3(half, 12, half));
  }

  frame(box: THREE.Box3) {
    const centre = box.getCenter(new THREE.Vector3());
    const radius = Math.max(4, box.getSize(new THREE.Vector3()).length() / 2);
    const { camera, controls } = this.stage;
    const away = new THREE.Vector3().subVectors(camera.position, controls.target);
    away.y = Math.max(away.y, away.length() * 0.35);
    away.setLength(radius * 1.5);
    this.stage.look(centre.clone().add(away), centre);
  }
}

function ribbonUv(count: number): THREE.BufferAttribute {
  const uv = new Float32Array(count * 2);
  for (let k = 0; k < count; k++) uv.set([(k % 5) / 4, Math.floor(k / 5)], k * 2);
  return new THREE.BufferAttribute(uv, 2);
}
