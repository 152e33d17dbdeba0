/** The classes of ground as programs see them: their images, where each lies, and where paths run. */
import * as THREE from 'three';
import type { LayerView } from '../api/client';
import { repeating, theNoise } from './clouds';

const SIZE = 512;

/** What the ground and all that grows from it share. */
export const covers = {
  coverAlbedo: { value: blank([90, 100, 60, 255]) },
  coverNormal: { value: blank([127, 127, 255, 255]) },
  coverMetres: { value: [1, 1, 1, 1, 1] },
  groundNoise: { value: theNoise() },
  pathMask: { value: null as THREE.Texture | null },
  pathHalf: { value: 1 }, // metres from its middle to its border
  pathMiddle: { value: new THREE.Vector2() },
  waterLevel: { value: -1e4 },
  contour: { value: 0 },
};

function blank(color: number[]): THREE.DataArrayTexture {
  return flat(Array<number[]>(5).fill(color));
}

/** Classes of one colour each. */
function flat(colors: number[][]): THREE.DataArrayTexture {
  const made = new THREE.DataArrayTexture(new Uint8Array(colors.flat()), 1, 1, colors.length);
  made.needsUpdate = true;
  return made;
}

async function pixels(address: string, signal: AbortSignal): Promise<Uint8ClampedArray> {
  const answer = await fetch(address, { signal });
  if (!answer.ok) throw new Error(`the image ${address} could not be fetched (${answer.status})`);
  const image = await createImageBitmap(await answer.blob());
  const canvas = new OffscreenCanvas(SIZE, SIZE);
  const context = canvas.getContext('2d', { willReadFrequently: true });
  if (!context) throw new Error('no images can be read here');
  context.drawImage(image, 0, 0, SIZE, SIZE);
  image.close();
  return context.getImageData(0, 0, SIZE, SIZE).data;
}

async function stack(addresses: string[], srgb: boolean, signal: AbortSignal): Promise<THREE.DataArrayTexture> {
  const images = await Promise.all(addresses.map((a) => pixels(a, signal)));
  const data = new Uint8Array(SIZE * SIZE * 4 * images.length);
  images.forEach((image, k) => data.set(image, k * SIZE * SIZE * 4));
  const made = new THREE.DataArrayTexture(data, SIZE, SIZE, images.length);
  made.colorSpace = srgb ? THREE.SRGBColorSpace : THREE.NoColorSpace;
  return repeating(made);
}

type Surface = NonNullable<LayerView['surface']>;

let shown = '';

/** Show the classes as they look from far away, until their images are there. */
export function tintCovers(surface: Surface) {
  if (shown) return;
  const tones = surface.covers.map(({ tone }) => [1, 3, 5].map((k) => parseInt(tone.slice(k, k + 2), 16)).concat(255));
  covers.coverAlbedo.value.dispose();
  covers.coverAlbedo.value = flat(tones);
  covers.coverAlbedo.value.colorSpace = THREE.SRGBColorSpace;
}

/** Fetch the images of the classes, once. */
export async function loadCovers(surface: Surface, signal: AbortSignal): Promise<void> {
  const key = surface.covers.map((c) => c.albedo).join();
  if (key === shown) return;
  const [albedo, normal] = await Promise.all([
    stack(surface.covers.map((c) => c.albedo), true, signal),
    stack(surface.covers.map((c) => c.normal), false, signal),
  ]); // prettier-ignore
  covers.coverAlbedo.value.dispose();
  covers.coverNormal.value.dispose();
  covers.coverAlbedo.value = albedo;
  covers.coverNormal.value = normal;
  covers.coverMetres.value = surface.covers.map((c) => c.metres);
  shown = key;
}

/** Where which class lies: grass, soil, gravel, mud and stone, in the order in which the service names them. */
export const COVER = /* glsl */ `
uniform sampler2D groundNoise;
uniform sampler2D pathMask;
uniform float pathHalf;
uniform vec2 pathMiddle;
uniform float waterLevel;

/** Cover, across (0 to 1), and kind (as the map counts them) of a path. */
vec3 pathAt(vec2 g) {
  vec2 at = vec2(g.x - pathMiddle.x, pathMiddle.y - g.y) / (2.0 * pathHalf) + 0.5;
  if (any(lessThan(at, vec2(0.0))) || any(greaterThan(at, vec2(1.0)))) return vec3(0.0);
  vec3 found = texture2D(pathMask, at).rgb;
  return vec3(found.x, found.y / max(found.x, 1e-3), floor(found.z / max(found.x, 1e-3) * 3.0 + 0.5));
}

/** Shares of grass, soil, gravel and mud; the rest is stone; mown tells where grass is kept short. */
vec4 coverAt(vec3 p, float steep, out float mown) {
  vec4 broad = texture2D(groundNoise, p.xz * 0.0117);
  vec4 fine = texture2D(groundNoise, p.xz * 0.083 + 0.31);
  float bare = smoothstep(0.07, 0.2, steep + 0.07 * (fine.g - 0.5));
  float shore = p.y - waterLevel + 0.30 * (fine.r - 0.5);
  float wet = 1.0 - smoothstep(0.02, 0.34, shore);
  vec3 path = pathAt(p.xz);
  float side = abs(path.y - 0.5) * 2.0;
  float ragged = 0.16 * (fine.b - 0.5) + 0.34 * (fine.r - 0.5);
  float worn = smoothstep(0.2, 0.75, path.x * (1.0 - smoothstep(0.55, 1.0, side + ragged)));
  float middle = (1.0 - smoothstep(0.10, 0.30, side)) * smoothstep(0.40, 0.62, fine.g * 0.6 + broad.b * 0.4);
  worn *= 1.0 - 0.85 * middle;
  vec4 c = vec4(1.0 - bare, bare, 0.0, 0.0);
  c = mix(c, vec4(0.0, 0.0, 0.0, 1.0), wet);
  float stony = path.z < 0.5 ? 0.9 * smoothstep(0.56, 0.66, fine.b * 0.5 + fine.g * 0.5) : 0.94;
  mown = path.z > 2.5 ? worn : 0.0;
  vec4 laid = path.z > 2.5 ? c : path.z > 1.5 ? vec4(0.0) : vec4(0.0, 1.0 - stony, stony, 0.0);
  return mix(c, laid, worn);
}

/** How the meadow varies from place to place: over its colour. */
vec3 meadowTint(vec2 g) {
  float broad = texture2D(groundNoise, g * 0.0063 + 0.17).r;
  float patch_ = texture2D(groundNoise, g * 0.031 + 0.53).g;
  float spot = texture2D(groundNoise, g * 0.19 + 0.11).r;
  vec3 t = mix(vec3(0.86, 0.98, 0.86), vec3(1.16, 1.06, 0.92), smoothstep(0.15, 0.9, broad));
  t = mix(t, vec3(1.62, 1.30, 1.10), 0.55 * smoothstep(0.62, 0.95, patch_));
  t = mix(t, vec3(0.70, 0.86, 0.72), 0.6 * smoothstep(0.40, 0.08, patch_));
  return t * (0.88 + 0.24 * spot);
}
`;

/** A class's images at a place, so that no repeat is seen (after Heitz and Neyret 2018): one neighbour of a lattice, by chance. */
export const TILING = /* glsl */ `
uniform mediump sampler2DArray coverAlbedo;
uniform mediump sampler2DArray coverNormal;
uniform float coverMetres[5];
vec2 latticeHash(vec2 p) {
  vec3 q = fract(vec3(p.xyx) * vec3(0.1031, 0.1030, 0.0973));
  q += dot(q, q.yzx + 33.33);
  return fract((q.xx + q.yz) * q.zy);
}
/** Where a tile of the lattice is cut from: an offset and a turn. */
void coverTap(vec2 g, float metres, float chance, out vec2 at, out mat2 turn) {
  vec2 u = g / metres;
  vec2 skewed = mat2(1.0, 0.0, -0.57735027, 1.15470054) * u * 1.7;
  vec2 corner = floor(skewed);
  vec3 t = vec3(fract(skewed), 0.0);
  t.z = 1.0 - t.x - t.y;
  vec3 w = t.z > 0.0 ? vec3(t.z, t.y, t.x) : vec3(-t.z, 1.0 - t.y, 1.0 - t.x);
  vec2 a = t.z > 0.0 ? corner : corner + vec2(1.0);
  vec2 b = t.z > 0.0 ? corner + vec2(0.0, 1.0) : corner + vec2(1.0, 0.0);
  vec2 c = t.z > 0.0 ? corner + vec2(1.0, 0.0) : corner + vec2(0.0, 1.0);
  w = w * w * w;
  w /= w.x + w.y + w.z;
  vec2 chosen = chance < w.x ? a : chance < w.x + w.y ? b : c;
  vec2 h = latticeHash(chosen);
  float angle = 6.2831853 * h.x;
  turn = mat2(cos(angle), sin(angle), -sin(angle), cos(angle));
  at = turn * u + latticeHash(chosen + 17.0);
}
`;
