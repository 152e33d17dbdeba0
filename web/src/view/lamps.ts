/** Lamps of assets, lit at dusk and at night: of many, each frame has the light of a few. */
import * as THREE from 'three';
import type { Lamp } from '../api/client';

/** Lamps that light one frame. */
export const ROOM = 8;

const LUX = 0.025; // irradiance, on the scale on which nights are as bright as they are seen
const SHOWN = 3.2; // how bright a globe is, once exposed
const NEAR = 14; // metres up to which globes are those of the meshes
const CLOSE = 0.7; // metres; what is nearer is lit no more

/** Where each lamp of a frame is and how far it reaches, and its light at one metre. The first that reaches nowhere ends them. */
export const lampsOfFrame = { value: new Float32Array(ROOM * 8) };

/** Radiance of what glows, times its colour. */
export const glow = { lampGlow: { value: 0 } };

/** Light of the lamps of a frame, in programs that follow Lambert's law. */
export const LAMPS = /* glsl */ `
#if defined( RE_Direct )
for (int i = 0; i < ${ROOM}; i++) {
  vec4 lampPlace = lamps[2 * i];
  if (lampPlace.w == 0.0) break;
  vec4 lampLight = lamps[2 * i + 1];
  vec3 towards = (viewMatrix * vec4(lampPlace.xyz, 1.0)).xyz - geometryPosition;
  float square = dot(towards, towards);
  float left = square / (lampPlace.w * lampPlace.w);
  left = max(0.0, 1.0 - left * left);
  if (left == 0.0) continue;
  directLight.color = lampLight.rgb * left * left / max(square, ${CLOSE * CLOSE});
  directLight.direction = towards * inversesqrt(max(square, 1e-8));
  directLight.visible = true;
  RE_Direct( directLight, geometryPosition, geometryNormal, geometryViewDir, geometryClearcoatNormal, material, reflectedLight );
}
#endif`;

/** A lamp that stands somewhere. */
export interface Standing {
  at: THREE.Vector3;
  lamp: Lamp;
  size: number; // share of its own
}

/**
 * About `room` of many, by their worth: those that are worth much always, others in turn, with a weight that makes up for
 * the frames without them. Systematic sampling (Madow 1949); `start`, from 0 to 1, is another in each frame.
 */
export function sample(worth: ArrayLike<number>, room: number, start: number): { index: number; weight: number }[] {
  let [scale, sure] = [0, -1];
  for (;;) {
    let [always, rest] = [0, 0];
    for (let k = 0; k < worth.length; k++) {
      const w = worth[k] ?? 0;
      if (w * scale >= 1) always++;
      else rest += w;
    }
    if (always === sure) break;
    sure = always;
    scale = rest > 0 ? (room - always) / rest : Infinity;
  }
  const out = [];
  let sum = start;
  for (let index = 0; index < worth.length; index++) {
    const w = worth[index] ?? 0;
    const share = w > 0 ? Math.min(1, w * scale) : 0;
    if (Math.floor(sum + share) > Math.floor(sum)) out.push({ index, weight: 1 / share });
    sum += share;
  }
  return out;
}

export class Lamps {
  private readonly own = new Map<object, Standing[]>();
  private all: Standing[] = [];
  private drawn: THREE.Mesh<THREE.InstancedBufferGeometry, THREE.ShaderMaterial>[] = [];

  constructor(private readonly scene: THREE.Scene) {}

  /** What `owner` has, in place of what it had. */
  set(owner: object, lamps: Standing[]) {
    if (!lamps.length && !this.own.has(owner)) return;
    if (lamps.length) this.own.set(owner, lamps);
    else this.own.delete(owner);
    this.all = [...this.own.values()].flat();
    this.blow();
  }

  /** Make globes and what shines about them anew. */
  private blow() {
    this.dispose();
    const glowing = this.all.filter(({ lamp }) => lamp.radius > 0);
    if (!glowing.length) return;
    const place = new Float32Array(glowing.flatMap(({ at, lamp, size }) => [...at.toArray(), lamp.radius * size]));
    const tone = new Float32Array(glowing.flatMap(({ lamp }) => lamp.color));
    this.drawn = [globes(), shine()].map((mesh) => {
      mesh.geometry.setAttribute('place', new THREE.InstancedBufferAttribute(place, 4));
      mesh.geometry.setAttribute('tone', new THREE.InstancedBufferAttribute(tone, 3));
      mesh.geometry.instanceCount = glowing.length;
      mesh.frustumCulled = mesh.visible = false;
      this.scene.add(mesh);
      return mesh;
    });
  }

  /** Light the `k`th frame of a plate: `lit` from 0 by day to 1. */
  light(k: number, camera: THREE.PerspectiveCamera, lit: number, exposure: number) {
    const out = lampsOfFrame.value.fill(0);
    glow.lampGlow.value = (lit * SHOWN) / exposure;
    for (const mesh of this.drawn) mesh.visible = lit > 0;
    if (!lit || !this.all.length) return;
    camera.updateMatrixWorld();
    const seen = new THREE.Frustum().setFromProjectionMatrix(
      new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse),
    );
    const ball = new THREE.Sphere();
    const worth = this.all.map(({ at, lamp }) =>
      seen.intersectsSphere(ball.set(at, lamp.reach)) ? lamp.lumens / (at.distanceToSquared(camera.position) + 25) : 0,
    );
    const chosen = sample(worth, ROOM, (0.5 + k * 0.6180339887) % 1);
    chosen.slice(0, ROOM).forEach(({ index, weight }, n) => {
      const { at, lamp } = this.all[index] as Standing;
      const power = (lit * weight * LUX * lamp.lumens) / (4 * Math.PI);
      out.set([...at.toArray(), lamp.reach, ...lamp.color.map((c) => c * power)], n * 8);
    });
  }

  dispose() {
    for (const mesh of this.drawn.splice(0)) {
      this.scene.remove(mesh);
      mesh.geometry.dispose();
      mesh.material.dispose();
    }
  }
}

function instanced(shape: THREE.BufferGeometry, more: THREE.ShaderMaterialParameters) {
  const geometry = new THREE.InstancedBufferGeometry();
  geometry.index = shape.index;
  Object.assign(geometry.attributes, shape.attributes);
  return new THREE.Mesh(geometry, new THREE.ShaderMaterial({ uniforms: glow, toneMapped: false, ...more }));
}

const HEAD =
  'attribute vec4 place;\nattribute vec3 tone;\nuniform float lampGlow;\nvarying vec3 light;\nvarying vec2 at;\n';

/** Of what is so far away that its mesh shows no globe. */
const globes = () =>
  instanced(new THREE.SphereGeometry(1, 10, 6), {
    vertexShader: `${HEAD}void main() {
      float far = step(${NEAR.toFixed(1)}, distance(cameraPosition, place.xyz));
      light = tone * lampGlow;
      gl_Position = projectionMatrix * viewMatrix * vec4(place.xyz + position * place.w * 1.03 * far, 1.0);
    }`,
    fragmentShader: 'varying vec3 light;\nvoid main() { gl_FragColor = vec4(light, 1.0); }',
  });

/** Light that the air, and the eye, spread about a globe. */
const shine = () =>
  instanced(new THREE.PlaneGeometry(2, 2), {
    transparent: true,
    depthWrite: false,
    blending: THREE.AdditiveBlending,
    vertexShader: `${HEAD}void main() {
      vec4 seen = viewMatrix * vec4(place.xyz, 1.0);
      light = tone * tone * lampGlow * 0.1;
      at = position.xy;
      seen.xyz += normalize(-seen.xyz) * min(place.w * 1.2, 0.5 * length(seen.xyz)); // before its globe
      seen.xy += position.xy * place.w * 9.0;
      gl_Position = projectionMatrix * seen;
    }`,
    fragmentShader: `varying vec3 light;
    varying vec2 at;
    void main() {
      float away = length(at);
      gl_FragColor = vec4(light * pow(max(0.0, 1.0 - away), 2.6), 1.0);
    }`,
  });
