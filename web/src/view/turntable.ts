/** The bench: one asset on a round plate, beside a person and a ruler. */
import * as THREE from 'three';
import type { LoadedMesh } from './glb';
import { wind } from './materials';
import { outputPass, Stage } from './stage';

export type Look = 'lit' | 'wireframe' | 'normals';

function person(): THREE.Mesh {
  // 1.8 m: legs, trunk and head turned from one profile
  const profile = [
    [0, 0], [0.13, 0], [0.14, 0.06], [0.115, 0.45], [0.15, 0.86], [0.19, 1.12], [0.225, 1.38], [0.16, 1.47], [0.065, 1.51], [0.062, 1.55],
    [0.1, 1.61], [0.108, 1.69], [0.08, 1.77], [0.03, 1.8], [0, 1.8],
  ].map(([x, y]) => new THREE.Vector2(x, y)); // prettier-ignore
  const mesh = new THREE.Mesh(
    new THREE.LatheGeometry(profile, 28),
    new THREE.MeshLambertMaterial({ color: '#8d9993' }),
  );
  mesh.scale.z = 0.66;
  mesh.castShadow = mesh.receiveShadow = true;
  return mesh;
}

/** A wide floor that fades into the sky. */
function plate(): THREE.Mesh {
  const material = new THREE.MeshLambertMaterial({ color: '#b8ab8a', transparent: true });
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', '#include <common>\nvarying vec2 flatPlace;')
      .replace('#include <begin_vertex>', '#include <begin_vertex>\nflatPlace = position.xz;');
    shader.fragmentShader = shader.fragmentShader
      .replace('#include <common>', '#include <common>\nvarying vec2 flatPlace;')
      .replace('#include <color_fragment>', 'diffuseColor.a = 1.0 - smoothstep(0.25, 1.0, length(flatPlace));');
  };
  const mesh = new THREE.Mesh(new THREE.CircleGeometry(1, 96).rotateX(-Math.PI / 2), material);
  mesh.receiveShadow = true;
  return mesh;
}

export class Turntable {
  readonly stage: Stage;
  readonly portraits: Portraits;
  private readonly subject = new THREE.Group();
  private readonly floor = plate();
  private readonly man = person();
  private readonly normals = new THREE.MeshNormalMaterial({ side: THREE.DoubleSide });
  private readonly wires = new THREE.MeshBasicMaterial({ color: '#33402c', wireframe: true });
  private shown: LoadedMesh | null = null;
  private look: Look = 'lit';
  private framed = false;
  height = 5;
  radius = 2;

  constructor(host: HTMLElement) {
    this.stage = new Stage(host);
    this.portraits = new Portraits(this.stage.renderer);
    this.stage.scene.add(this.subject, this.floor, this.man);
    this.stage.controls.maxPolarAngle = Math.PI * 0.53;
    this.stage.atmosphere.fog.density = 0;
    this.stage.shadowAt = () => [
      new THREE.Vector3(0, this.height * 0.4, 0),
      Math.max(3, Math.max(this.height, this.radius * 2) * 0.95),
    ];
    wind.windForce.value.set(1.2, 0.6);
  }

  setLight(dusk: boolean) {
    this.stage.atmosphere.set(222, 38, dusk);
    (this.floor.material as THREE.MeshLambertMaterial).color.set(dusk ? '#77694f' : '#c3b692');
    this.stage.refresh();
  }

  /** Show a mesh; the camera is set for the first one, and when asked. */
  show(mesh: LoadedMesh, height: number, radius: number) {
    const old = this.shown;
    this.shown = mesh;
    this.height = height;
    this.radius = radius;
    this.fill();
    this.floor.scale.setScalar(Math.max(6, radius * 7 + 4));
    this.man.position.set(-Math.max(1, radius * 0.72 + 0.7), 0, Math.max(0.4, radius * 0.35));
    if (!this.framed) this.frame();
    if (old && old !== mesh) for (const part of old.parts) part.geometry.dispose();
    this.stage.move();
  }

  setLook(look: Look) {
    this.look = look;
    this.fill();
    this.stage.refresh();
  }

  private fill() {
    this.subject.clear();
    for (const part of this.shown?.parts ?? []) {
      const material = this.look === 'wireframe' ? this.wires : this.look === 'normals' ? this.normals : part.material;
      const made = new THREE.Mesh(part.geometry, material);
      made.castShadow = made.receiveShadow = true;
      if (this.look === 'lit') made.customDepthMaterial = part.shadow;
      this.subject.add(made);
    }
  }

  frame() {
    const { camera, controls } = this.stage;
    const tall = Math.max(2, this.height);
    const wide = Math.max(2.6, this.radius * 2.5);
    const half = Math.tan(THREE.MathUtils.degToRad(camera.fov / 2));
    const far = Math.max((tall * 0.62) / half, (wide * 0.66) / (half * camera.aspect)) + this.radius;
    const target = new THREE.Vector3(0, tall * 0.47, 0);
    const away = new THREE.Vector3(0.28, 0.13, 1).setLength(far);
    this.framed = true;
    controls.minDistance = 0.3;
    controls.maxDistance = far * 8;
    this.stage.look(target.clone().add(away), target);
  }

  /** Marks of the height ruler, in pixels: from the ground up beside the asset. */
  ruler(): { metres: number; x: number; y: number }[] {
    const step = this.height > 24 ? 5 : this.height > 11 ? 2 : this.height > 2.4 ? 1 : this.height > 0.9 ? 0.25 : 0.1;
    const right = new THREE.Vector3().setFromMatrixColumn(this.stage.camera.matrixWorld, 0).setY(0).normalize();
    const foot = right.multiplyScalar(-(this.radius * 1.12 + 0.35));
    const marks = [];
    for (let k = 0; k * step <= this.height + step * 0.99; k++) {
      const p = this.stage.project(foot.clone().setY(k * step));
      if (p && Number.isFinite(p.x + p.y)) marks.push({ metres: Math.round(k * step * 100) / 100, ...p });
    }
    return marks;
  }

  dispose() {
    this.portraits.dispose();
    this.stage.dispose();
  }
}

/** Small pictures of meshes, drawn by the renderer of the view. */
export class Portraits {
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.PerspectiveCamera(28, 1, 0.1, 500);
  private readonly drawn: THREE.WebGLRenderTarget;
  private readonly toned: THREE.WebGLRenderTarget;
  private readonly output = outputPass();
  private readonly canvas = document.createElement('canvas');

  constructor(
    private readonly renderer: THREE.WebGLRenderer,
    private readonly width = 188,
    private readonly height = 164,
  ) {
    this.drawn = new THREE.WebGLRenderTarget(width, height, { samples: 4, type: THREE.HalfFloatType });
    this.toned = new THREE.WebGLRenderTarget(width, height);
    this.output.renderToScreen = false;
    this.canvas.width = width;
    this.canvas.height = height;
    const sun = new THREE.DirectionalLight('#fff2dc', 2.9);
    sun.position.set(-3, 5, 4);
    this.scene.background = new THREE.Color('#e4e8df');
    this.scene.add(sun, new THREE.HemisphereLight('#d8e2e8', '#7a7650', 2.1));
  }

  /** The mesh as the address of an image. */
  take(mesh: LoadedMesh, height: number, radius: number): string {
    const group = new THREE.Group();
    for (const part of mesh.parts) group.add(new THREE.Mesh(part.geometry, part.material));
    this.scene.add(group);
    this.camera.aspect = this.width / this.height;
    this.camera.updateProjectionMatrix();
    const half = Math.tan(THREE.MathUtils.degToRad(14));
    const far = Math.max((height * 0.54) / half, (radius * 1.05) / (half * this.camera.aspect)) + radius;
    this.camera.position.set(far * 0.25, height * 0.5 + far * 0.1, far * 0.96);
    this.camera.lookAt(0, height * 0.5, 0);
    this.renderer.setRenderTarget(this.drawn);
    this.renderer.clear();
    this.renderer.render(this.scene, this.camera);
    this.output.render(this.renderer, this.toned, this.drawn, 0, false);
    const pixels = new Uint8Array(this.width * this.height * 4);
    this.renderer.readRenderTargetPixels(this.toned, 0, 0, this.width, this.height, pixels);
    this.renderer.setRenderTarget(null);
    this.scene.remove(group);
    const context = this.canvas.getContext('2d');
    const image = new ImageData(this.width, this.height);
    const row = this.width * 4;
    for (let y = 0; y < this.height; y++)
      image.data.set(pixels.subarray((this.height - 1 - y) * row, (this.height - y) * row), y * row);
    context?.putImageData(image, 0, 0);
    return this.canvas.toDataURL('image/png');
  }

  dispose() {
    this.drawn.dispose();
    this.toned.dispose();
    this.output.dispose();
  }
}
