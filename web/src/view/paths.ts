/** Paths as a map from above, from which the ground takes where it is worn: nothing lies over it. */
import * as THREE from 'three';
import { covers } from './covers';

const SIZE = 2048;
const MOST = 1024; // metres that the map spans at most; beyond, it moves with the eye

const KINDS: Record<string, number> = { earth: 0, gravel: 1, stone: 2, grass: 3 }; // in thirds of a byte

export class PathMap {
  private readonly target = new THREE.WebGLRenderTarget(SIZE, SIZE, { depthBuffer: false });
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -5000, 5000);
  private readonly middle = new THREE.Vector2(Infinity, Infinity);
  private stale = true;

  constructor() {
    this.target.texture.minFilter = THREE.LinearFilter;
    this.camera.up.set(0, 0, -1);
  }

  /** Take the paths of a layer instead of those that it had. */
  put(owner: object, paths: { geometry: THREE.BufferGeometry; surface: string }[]) {
    this.remove(owner);
    for (const { geometry, surface } of paths) {
      const mesh = new THREE.Mesh(geometry, material(KINDS[surface] ?? 0));
      mesh.frustumCulled = false;
      mesh.userData.owner = owner;
      this.scene.add(mesh);
    }
  }

  show(owner: object, visible: boolean) {
    for (const mesh of this.scene.children)
      if (mesh.userData.owner === owner && mesh.visible !== visible) {
        mesh.visible = visible;
        this.stale = true;
      }
  }

  remove(owner: object) {
    for (const mesh of [...this.scene.children]) if (mesh.userData.owner === owner) this.scene.remove(mesh);
    this.stale = true;
  }

  /** Draw the map where it is out of date. */
  prepare(gl: THREE.WebGLRenderer, size: number, eye: THREE.Vector3) {
    const half = Math.min(size, MOST) / 2;
    const step = half / 4;
    const inner = size / 2 - half;
    const at = (v: number) => THREE.MathUtils.clamp(Math.round(v / step) * step, -inner, inner);
    const [x, z] = [at(eye.x), at(eye.z)];
    if (!this.stale && x === this.middle.x && z === this.middle.y && half === covers.pathHalf.value) return;
    this.stale = false;
    this.middle.set(x, z);
    const { camera } = this;
    [camera.left, camera.right, camera.top, camera.bottom] = [-half, half, half, -half];
    camera.position.set(x, 0, z);
    camera.lookAt(x, -1, z);
    camera.updateProjectionMatrix();
    const clear = gl.getClearColor(new THREE.Color());
    const alpha = gl.getClearAlpha();
    gl.setClearColor(0, 0);
    gl.setRenderTarget(this.target);
    gl.clear();
    gl.render(this.scene, camera);
    gl.setRenderTarget(null);
    gl.setClearColor(clear, alpha);
    covers.pathMask.value = this.target.texture;
    covers.pathHalf.value = half;
    covers.pathMiddle.value.set(x, z);
  }

  dispose() {
    this.target.dispose();
    if (covers.pathMask.value === this.target.texture) covers.pathMask.value = null; // another view's may be there
  }
}

const materials = new Map<number, THREE.ShaderMaterial>();

function material(kind: number): THREE.ShaderMaterial {
  const found = materials.get(kind);
  if (found) return found;
  const made = new THREE.ShaderMaterial({
    side: THREE.DoubleSide,
    depthTest: false,
    toneMapped: false,
    vertexShader:
      'varying float across; void main() { across = uv.x; gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }',
    fragmentShader: `varying float across; void main() { gl_FragColor = vec4(1.0, across, ${(kind / 3).toFixed(4)}, 1.0); }`,
  });
  materials.set(kind, made);
  return made;
}
