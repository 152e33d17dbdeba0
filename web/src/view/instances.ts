/** Instances as they lie on the graphics card: where, turned how, how large, and how far faded, in 16 bytes each. */
import * as THREE from 'three';
import { FRAME_NOISE, frame } from './chunks';

/** Unsigned integers of 32 bits that an instance takes. */
export const WORDS = 4;

const STEP = 0.001; // metres
const [ACROSS, UP] = [1 << 21, 1 << 19]; // steps to either side, so 2 km and 500 m
const TURN = 511 / Math.SQRT1_2;
const [OCTAVE, NO_SCALE] = [256, 2048]; // steps of a doubling, and the code of 100 %
const FADE = 0xff000000;

const SIZES = Float32Array.from({ length: 4096 }, (_, code) => 2 ** ((code - NO_SCALE) / OCTAVE));

const within = (value: number, zero: number) => Math.min(2 * zero - 1, Math.max(0, Math.round(value) + zero));

/** Write an instance into `out`: metres, a unit quaternion, and its size across and upwards. */
export function pack(out: Uint32Array, k: number, at: THREE.Vector3, turn: THREE.Quaternion, size: THREE.Vector3) {
  const y = within(at.y / STEP, UP);
  const scale = (v: number) => within(Math.log2(Math.max(v, 1e-3)) * OCTAVE, NO_SCALE);
  out[k * WORDS] = within(at.x / STEP, ACROSS) | ((y & 1023) << 22);
  out[k * WORDS + 1] = within(at.z / STEP, ACROSS) | ((y >>> 10) << 22);
  setTurn(out, k, turn);
  out[k * WORDS + 3] = scale(size.x) | (scale(size.y) << 12);
}

/** Turn the `k`th instance of `list` as a unit quaternion says. */
export function setTurn(list: Uint32Array, k: number, turn: THREE.Quaternion) {
  const q = [turn.x, turn.y, turn.z, turn.w];
  // the largest follows from the other three
  const largest = q.reduce((best, v, i) => (Math.abs(v) > Math.abs(q[best] as number) ? i : best), 0);
  const sign = Math.sign(q[largest] as number);
  let turned = largest;
  q.forEach((v, i) => {
    if (i !== largest) turned = (turned << 10) | within(v * sign * TURN, 512);
  });
  list[k * WORDS + 2] = turned;
}

/** How the `k`th instance of `list` is turned. */
export function turnOf(list: Uint32Array, k: number, out: THREE.Quaternion): THREE.Quaternion {
  const c = list[k * WORDS + 2] as number;
  const three = [20, 10, 0].map((shift) => (((c >>> shift) & 1023) - 512) / TURN);
  const rest = Math.sqrt(Math.max(0, 1 - three.reduce((sum, v) => sum + v * v, 0)));
  return out.fromArray(three.toSpliced(c >>> 30, 0, rest));
}

/** Where the `k`th instance of `list` stands. */
export function placeOf(list: Uint32Array, k: number, out: THREE.Vector3): THREE.Vector3 {
  const [a, b] = [list[k * WORDS] as number, list[k * WORDS + 1] as number];
  const y = (a >>> 22) | ((b >>> 22) << 10);
  return out.set((a & 0x3fffff) - ACROSS, y - UP, (b & 0x3fffff) - ACROSS).multiplyScalar(STEP);
}

/** How wide the `k`th instance of `list` is, as a share of its own width. */
export function widthOf(list: Uint32Array, k: number): number {
  return SIZES[(list[k * WORDS + 3] as number) & 4095] as number;
}

/** How tall the `k`th instance of `list` is, as a share of its own height. */
export function sizeOf(list: Uint32Array, k: number): number {
  return SIZES[((list[k * WORDS + 3] as number) >>> 12) & 4095] as number;
}

/** The matrix of the `k`th instance of `list`. */
export function matrixOf(list: Uint32Array, k: number, out: THREE.Matrix4): THREE.Matrix4 {
  const d = list[k * WORDS + 3] as number;
  const q = turnOf(list, k, new THREE.Quaternion());
  const [wide, tall] = [SIZES[d & 4095] as number, sizeOf(list, k)];
  return out.compose(placeOf(list, k, new THREE.Vector3()), q, new THREE.Vector3(wide, tall, wide));
}

/**
 * Let the `k`th instance of `list` be there in part: a share of its pixels, from 0 to 1, others in each frame. What takes
 * its place has the rest of them, so that together they are whole.
 */
export function fade(list: Uint32Array, k: number, share: number, rest: boolean) {
  const code = Math.round(THREE.MathUtils.clamp(rest ? 1 - share : share, 0, 1) * 126) + (rest ? 128 : 1);
  list[k * WORDS + 3] = ((list[k * WORDS + 3] as number) & ~FADE) | (code << 24);
}

/** Whether instance `k` of one list is instance `j` of another, faded or not. */
export function same(a: Uint32Array, k: number, b: Uint32Array, j: number): boolean {
  for (let w = 0; w < 3; w++) if (a[k * WORDS + w] !== b[j * WORDS + w]) return false;
  return true;
}

/** Many of a geometry; the instances' list is its own, all else is the geometry's. */
export function many(of: THREE.BufferGeometry, list: THREE.InstancedBufferAttribute): THREE.InstancedBufferGeometry {
  const made = new THREE.InstancedBufferGeometry();
  made.index = of.index;
  Object.assign(made.attributes, of.attributes);
  made.setAttribute('instanceBits', list);
  made.instanceCount = 0;
  return made;
}

/** Free the list of a geometry of `many`; what it shares stays. */
export function freeMany(made: THREE.InstancedBufferGeometry) {
  made.index = null;
  for (const name of Object.keys(made.attributes)) if (name !== 'instanceBits') made.deleteAttribute(name);
  made.dispose();
}

const HEAD = /* glsl */ `
#define USE_INSTANCING
attribute uvec4 instanceBits;
varying float instanceFade;
mat4 instanceMatrix;
mat4 unpackInstance(uvec4 b) {
  uvec3 place = uvec3(b.x & 0x3fffffu, (b.x >> 22) | ((b.y >> 22) << 10), b.y & 0x3fffffu);
  vec3 at = (vec3(place) - vec3(${ACROSS}.0, ${UP}.0, ${ACROSS}.0)) * ${STEP};
  vec3 t = (vec3(uvec3(b.z >> 20, b.z >> 10, b.z) & 1023u) - 512.0) * ${1 / TURN};
  float rest = sqrt(max(0.0, 1.0 - dot(t, t)));
  uint which = b.z >> 30;
  vec4 q = which == 0u ? vec4(rest, t) : which == 1u ? vec4(t.x, rest, t.yz) : which == 2u ? vec4(t.xy, rest, t.z) : vec4(t, rest);
  vec2 size = exp2((vec2(uvec2(b.w, b.w >> 12) & 4095u) - ${NO_SCALE}.0) / ${OCTAVE}.0);
  vec3 a = q.xyz + q.xyz;
  vec3 own = q.xyz * a;
  vec3 across = q.xxy * a.yzz;
  vec3 turn = q.w * a;
  return mat4(
    vec4(1.0 - own.y - own.z, across.x + turn.z, across.y - turn.y, 0.0) * size.x,
    vec4(across.x - turn.z, 1.0 - own.x - own.z, across.z + turn.x, 0.0) * size.y,
    vec4(across.y + turn.y, across.z - turn.x, 1.0 - own.x - own.y, 0.0) * size.x,
    vec4(at, 1.0));
}
float hashInstance(uvec4 b) {
  uint h = (b.x ^ (b.y * 2654435769u)) * 2246822519u;
  return float(((h ^ (h >> 15)) * 3266489917u) >> 8) / 16777216.0;
}
`;

const FADES = /* glsl */ `
varying float instanceFade;
bool fadedOut() {
  float noise = frameNoise(gl_FragCoord.yx + 5.0, frameSeed.y);
  return instanceFade > 127.5 ? noise < (instanceFade - 128.0) / 126.0 : instanceFade > 0.5 && noise >= (instanceFade - 1.0) / 126.0;
}
`;

/** A program that draws instances; `fades`: those that are there in part are drawn in part. */
export function patchMany(shader: THREE.WebGLProgramParametersWithUniforms, fades = true) {
  Object.assign(shader.uniforms, frame);
  shader.vertexShader = shader.vertexShader
    .replace('#include <common>', `#include <common>\n${HEAD}`)
    .replace(
      'void main() {',
      'void main() {\ninstanceMatrix = unpackInstance(instanceBits);\ninstanceFade = float(instanceBits.w >> 24);',
    );
  if (!fades) return;
  const known = shader.fragmentShader.includes('float frameNoise');
  shader.fragmentShader = shader.fragmentShader.replace(
    'void main() {',
    `${known ? '' : FRAME_NOISE}${FADES}\nvoid main() {\nif (fadedOut()) discard;`,
  );
}
