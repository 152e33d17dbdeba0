/** The sky as programs see it: the table of the clear sky, clouds before it, the land beyond the scene below it. */
import * as THREE from 'three';
import type { Rgb } from './light/scattering';
import { HIGH, WIDE, type Sky } from './light/sky';

const NOISE = 256;

/** Let an image repeat on both axes, smooth at every distance. */
export function repeating<T extends THREE.Texture>(made: T): T {
  made.wrapS = made.wrapT = THREE.RepeatWrapping;
  made.minFilter = THREE.LinearMipmapLinearFilter;
  made.magFilter = THREE.LinearFilter;
  made.generateMipmaps = true;
  made.needsUpdate = true;
  return made;
}

const BINS = 4096; // that tell how many values are smaller

// In small functions, which the browser soon compiles: in one loop it takes five times as long.
const fade = (t: number) => t * t * t * (t * (t * 6 - 15) + 10);

/** Where the rows, and columns, of the image lie between the corners of `cells` cells that repeat. */
function between(cells: number) {
  const [first, next, part] = [new Uint16Array(NOISE), new Uint16Array(NOISE), new Float32Array(NOISE)];
  for (let k = 0; k < NOISE; k++) {
    const at = (k / NOISE) * cells;
    first[k] = Math.floor(at);
    next[k] = (Math.floor(at) + 1) % cells;
    part[k] = fade(at - Math.floor(at));
  }
  return { first, next, part };
}

/** One row of corners, from the two about it. */
function mix(row: Float32Array, corners: Float32Array, above: number, below: number, t: number, strength: number) {
  for (let c = 0; c < row.length; c++) row[c] = strength * (corners[above + c]! * (1 - t) + corners[below + c]! * t);
}

/** Add a row of corners to the row of the image that begins `at`. */
function lay(sum: Float32Array, at: number, row: Float32Array, { first, next, part }: ReturnType<typeof between>) {
  for (let x = 0; x < NOISE; x++) {
    const s = part[x]!;
    sum[at + x] = sum[at + x]! + row[first[x]!]! * (1 - s) + row[next[x]!]! * s;
  }
}

/** Spread evenly over the whole range, so that thresholds mean shares of the area. */
function spread(sum: Float32Array, data: Uint8Array, channel: number) {
  let [low, high] = [Infinity, -Infinity];
  for (let k = 0; k < sum.length; k++) {
    low = Math.min(low, sum[k]!);
    high = Math.max(high, sum[k]!);
  }
  const scale = (BINS - 1) / (high - low);
  const below = new Float32Array(BINS);
  for (let k = 0; k < sum.length; k++) {
    const bin = ((sum[k]! - low) * scale) | 0;
    below[bin] = below[bin]! + 255 / sum.length;
  }
  for (let k = 1; k < BINS; k++) below[k] = below[k]! + below[k - 1]!;
  for (let k = 0; k < sum.length; k++) data[k * 4 + channel] = Math.round(below[((sum[k]! - low) * scale) | 0]!);
}

/** Noise in four channels of rising fineness, which repeats on both axes. */
function noiseTexture(): THREE.DataTexture {
  const data = new Uint8Array(NOISE * NOISE * 4);
  let state = 1;
  const random = () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 2 ** 32;
  };
  for (let channel = 0; channel < 4; channel++) {
    const sum = new Float32Array(NOISE * NOISE);
    let strength = 1;
    for (let cells = 4 << channel; cells <= 128; cells *= 2, strength *= 0.53) {
      const corners = new Float32Array(cells * cells);
      for (let k = 0; k < corners.length; k++) corners[k] = random();
      const corner = between(cells);
      const { first, next, part } = corner;
      const row = new Float32Array(cells);
      for (let y = 0; y < NOISE; y++) {
        mix(row, corners, first[y]! * cells, next[y]! * cells, part[y]!, strength);
        lay(sum, y * NOISE, row, corner);
      }
    }
    spread(sum, data, channel);
  }
  return repeating(new THREE.DataTexture(data, NOISE, NOISE));
}

let noise: THREE.DataTexture | null = null;

/** Shared by all that need it; it lives as long as the page. */
export const theNoise = () => (noise ??= noiseTexture());

export class SkyUniforms {
  private readonly data = new Float32Array(WIDE * HIGH * 4);
  private readonly table = new THREE.DataTexture(this.data, WIDE, HIGH, THREE.RGBAFormat, THREE.FloatType);
  readonly values = {
    skyTable: { value: this.table },
    skyNoise: { value: theNoise() },
    skySun: { value: new THREE.Vector3(0, 1, 0) },
    skyLight: { value: new THREE.Vector3(0, 1, 0) },
    skyPower: { value: new THREE.Color() },
    skyCloud: { value: new THREE.Color() },
    skyHaze: { value: new THREE.Color() },
    skyLand: { value: new THREE.Color() },
    skyCover: { value: 0 },
    skyVeil: { value: 0 },
    skyAir: { value: 1e-4 },
    skyFoot: { value: 0 }, // height of the land beyond the scene
  };

  constructor() {
    this.table.minFilter = this.table.magFilter = THREE.NearestFilter; // floats are mixed in the program
  }

  set(sky: Sky, air: number, land: Rgb) {
    this.data.set(sky.table);
    this.table.needsUpdate = true;
    const v = this.values;
    v.skySun.value.copy(sky.sun);
    v.skyLight.value.copy(sky.light);
    v.skyPower.value.setRGB(...sky.power);
    v.skyCloud.value.setRGB(...sky.cloud);
    v.skyHaze.value.setRGB(...sky.haze());
    v.skyLand.value
      .setRGB(...sky.level)
      .multiply(new THREE.Color(...land))
      .multiplyScalar(1 / Math.PI);
    v.skyCover.value = sky.weather.cover;
    v.skyVeil.value = sky.veil;
    v.skyAir.value = air;
  }

  dispose() {
    this.table.dispose();
  }
}

export const SKY = /* glsl */ `
uniform sampler2D skyTable;
uniform sampler2D skyNoise;
uniform vec3 skySun;
uniform vec3 skyLight;
uniform vec3 skyPower;
uniform vec3 skyCloud;
uniform vec3 skyHaze;
uniform vec3 skyLand;
uniform float skyCover;
uniform float skyVeil;
uniform float skyAir;
uniform float skyFoot;

vec3 clearSky(vec3 d) {
  float flat_ = length(d.xz) * length(skySun.xz);
  float turn = flat_ > 1e-5 ? acos(clamp(dot(d.xz, skySun.xz) / flat_, -1.0, 1.0)) / PI : 0.0;
  vec2 p = vec2(turn * float(${WIDE - 1}), sqrt(max(d.y, 0.0)) * float(${HIGH - 1}));
  ivec2 i = ivec2(min(p, vec2(${WIDE - 2}.0, ${HIGH - 2}.0)));
  vec2 f = p - vec2(i);
  vec3 low = mix(texelFetch(skyTable, i, 0).rgb, texelFetch(skyTable, i + ivec2(1, 0), 0).rgb, f.x);
  vec3 top = mix(texelFetch(skyTable, i + ivec2(0, 1), 0).rgb, texelFetch(skyTable, i + ivec2(1, 1), 0).rgb, f.x);
  return mix(low, top, f.y);
}

float cloudAt(vec2 p) {
  float broad = texture2D(skyNoise, p * 0.031).r;
  float fine = texture2D(skyNoise, p * 0.117 + 0.3).g;
  float edge = texture2D(skyNoise, p * 0.39 + 0.7).b;
  return broad * 0.62 + fine * 0.27 + edge * 0.11;
}

/** Radiance of the sky in a direction at or above the horizon. */
vec3 skyRadiance(vec3 d) {
  vec3 c = clearSky(d);
  float grey = (1.0 + 2.0 * max(d.y, 0.0)) / 3.0;
  // high thin streaks
  vec2 q = d.xz / (d.y + 0.16);
  float streak = texture2D(skyNoise, vec2(q.x * 0.11 + q.y * 0.05, q.y * 0.034)).g;
  streak *= texture2D(skyNoise, q * 0.05 + 0.21).r;
  c += skyPower * (0.010 * smoothstep(0.30, 0.85, streak) * smoothstep(0.02, 0.25, d.y)) * (1.0 - skyVeil);
  // heaps: lit from the sun's side, dark where thick
  vec2 p = d.xz / (d.y + 0.075) * 1.15;
  float edge = mix(0.93, 0.02, pow(skyCover, 0.62));
  float n = cloudAt(p);
  float thick = smoothstep(edge, edge + 0.30, n);
  float body = smoothstep(edge, edge + 0.085, n);
  vec2 way = skyLight.xz / (abs(skyLight.y) + 0.35);
  float ahead = smoothstep(edge, edge + 0.36, cloudAt(p + way * 0.42)) * 0.6 + smoothstep(edge, edge + 0.36, cloudAt(p + way * 0.95)) * 0.4;
  float towards = max(dot(d, skyLight), 0.0);
  float lit = exp(-2.6 * ahead * (0.35 + 0.65 * thick)) * (1.0 - 0.35 * thick);
  float silver = 1.0 + 1.6 * pow(towards, 10.0) * (1.0 - thick);
  vec3 cloud = skyCloud * (0.40 + 0.34 * (1.0 - thick)) * mix(1.0, grey * 1.5, skyVeil) + skyPower / PI * 0.34 * lit * silver;
  // far clouds are seen through the haze
  cloud = mix(skyHaze, cloud, smoothstep(0.0, 0.22, d.y));
  c = mix(c, cloud, body * smoothstep(0.0, 0.07, d.y));
  return c;
}

/** What is seen in a direction from a height where nothing of the scene is. */
vec3 beyond(vec3 d, float height) {
  if (d.y >= 0.0) {
    vec3 c = skyRadiance(d);
    float disc = smoothstep(0.99989, 0.99996, dot(d, skyLight));
    return c + skyPower * (6.0 * disc + 0.012 * pow(max(dot(d, skyLight), 0.0), 600.0)) * (1.0 - skyVeil);
  }
  float far = max(height - skyFoot, 1.0) / max(-d.y, 1e-4);
  vec2 at = cameraPosition.xz + d.xz * far;
  float vary = texture2D(skyNoise, at * 0.0021).g * 0.7 + texture2D(skyNoise, at * 0.011).r * 0.3;
  vec3 land = skyLand * (0.62 + 0.7 * vary);
  return mix(skyHaze, land, exp(-far * skyAir * vec3(0.62, 0.78, 1.12)));
}
`;
