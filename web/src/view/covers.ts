/** The classes of ground as programs see them: their images, where each lies, and where paths run. */
import * as THREE from 'three';
import type { LayerView } from '../api/client';
import { buffers } from './blobs';
import { repeating, theNoise } from './clouds';

const SIZE = 512;

export const MOST_CLASSES = 12;

/** What the ground and all that grows from it share. */
export const covers = {
  coverAlbedo: { value: flat([[90, 100, 60, 255]]) },
  coverNormal: { value: flat([[127, 127, 255, 255]]) },
  coverMetres: { value: per(1) },
  groundNoise: { value: theNoise() },
  splat: { value: flat([[255, 0, 0, 0]]) },
  splatAt: { value: new THREE.Vector4(0, 0, 1, 1) }, // of its north-west corner, and squares of a metre by its sides
  classCount: { value: 1 },
  classCover: { value: per(0) }, // which images
  classLook: { value: per(0) }, // 0 grass, 1 what is dry where it is trodden, 2 the rest
  classTint: { value: Array.from({ length: MOST_CLASSES }, () => new THREE.Vector3(1, 1, 1)) },
  pathClass: { value: [0, 0, 0, 0] }, // the classes of earth, gravel, stone and grass
  pathMask: { value: null as THREE.Texture | null },
  pathHalf: { value: 1 }, // metres from its middle to its border
  pathMiddle: { value: new THREE.Vector2() },
  waterLevel: { value: -1e4 },
  contour: { value: 0 },
};

function per(value: number): number[] {
  return Array<number>(MOST_CLASSES).fill(value);
}

/** Classes of one colour each. */
function flat(colors: number[][]): THREE.DataArrayTexture {
  const made = new THREE.DataArrayTexture(new Uint8Array(colors.flat()), 1, 1, colors.length);
  made.needsUpdate = true;
  return made;
}

const drawn = new Map<string, Uint8ClampedArray>(); // what has been fetched, by address

async function pixels(address: string, signal: AbortSignal): Promise<Uint8ClampedArray> {
  const found = drawn.get(address) ?? (await fetched(address, signal));
  drawn.set(address, found);
  return found;
}

async function fetched(address: string, signal: AbortSignal): Promise<Uint8ClampedArray> {
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
  shown = key;
}

/** What the classes are, and where they lie: fetched by squares, of which only those that changed are. */
export class SplatMap {
  private held = new Map<string, string>(); // place to hash
  private layout = '';
  private texture: THREE.DataArrayTexture | null = null;

  async fetch(surface: Surface, signal: AbortSignal): Promise<() => void> {
    const { splat, classes } = surface;
    const images = Math.ceil(classes.length / 4);
    const layout = [splat.east, splat.south, splat.side, splat.across, splat.down, images].join();
    const fresh = layout !== this.layout;
    const changed = splat.squares.filter((s) => fresh || this.held.get(`${s.x} ${s.z}`) !== s.data);
    const found = await buffers(changed.map((s) => s.data), signal); // prettier-ignore
    return () => {
      if (fresh) this.renew(splat, images);
      this.layout = layout;
      changed.forEach((s, k) => {
        this.held.set(`${s.x} ${s.z}`, s.data);
        this.write(splat, s, new Uint8Array(found[k] as ArrayBuffer), images);
      });
      if (changed.length && this.texture) this.texture.needsUpdate = true;
      this.tell(surface);
    };
  }

  private renew(splat: Surface['splat'], images: number) {
    this.texture?.dispose();
    const [width, height] = [splat.across * splat.texels, splat.down * splat.texels];
    const made = new THREE.DataArrayTexture(new Uint8Array(width * height * 4 * images), width, height, images);
    made.minFilter = made.magFilter = THREE.LinearFilter;
    this.texture = made;
    this.held.clear();
  }

  /** Lay a square's rows into the whole. */
  private write(splat: Surface['splat'], at: { x: number; z: number }, data: Uint8Array, images: number) {
    const into = this.texture?.image.data as Uint8Array | undefined;
    if (!into) return;
    const n = splat.texels;
    const width = splat.across * n;
    const plane = width * splat.down * n;
    for (let i = 0; i < images; i++)
      for (let r = 0; r < n; r++) {
        const from = (i * n + r) * n * 4;
        into.set(data.subarray(from, from + n * 4), (i * plane + (at.z * n + r) * width + at.x * n) * 4);
      }
  }

  private tell({ splat, classes, covers: looks }: Surface) {
    if (this.texture) covers.splat.value = this.texture;
    const side = splat.side;
    covers.splatAt.value.set(splat.east, splat.south, 1 / (side * splat.across), 1 / (side * splat.down));
    covers.classCount.value = classes.length;
    classes.forEach((c, k) => {
      const look = looks[c.cover];
      covers.classCover.value[k] = c.cover;
      covers.classLook.value[k] = look?.name === 'grass' ? 0 : look?.name === 'soil' || look?.name === 'gravel' ? 1 : 2;
      const tint = new THREE.Color(c.tint);
      covers.classTint.value[k]?.set(tint.r, tint.g, tint.b);
    });
    looks.forEach((c, k) => (covers.coverMetres.value[k] = c.metres));
    const of = (name: string) => classes.findIndex((c) => looks[c.cover]?.name === name);
    const [soil, gravel, stone, grass] = ['soil', 'gravel', 'stone', 'grass'].map(of) as [
      number,
      number,
      number,
      number,
    ];
    covers.pathClass.value = [soil, gravel < 0 ? soil : gravel, stone, grass];
  }

  dispose() {
    this.texture?.dispose();
  }
}

/** Where which class lies: shares of `MOST_CLASSES`, mixed in patches where classes meet, and the surfaces of paths over them. */
export const COVER = /* glsl */ `
#define MOST_CLASSES ${MOST_CLASSES}
uniform sampler2D groundNoise;
uniform mediump sampler2DArray splat;
uniform vec4 splatAt;
uniform int classCount;
uniform float classLook[MOST_CLASSES];
uniform int pathClass[4];
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

#ifdef BY_VERTEX
varying vec4 ofClass[3];
#endif
vec4 fourShares(int k, vec2 at) {
#ifdef BY_VERTEX
  return k == 0 ? ofClass[0] : k == 1 ? ofClass[1] : ofClass[2];
#else
  return texture(splat, vec3(at, float(k)));
#endif
}

/** Shares of the classes at a place; mown tells where grass is kept short. */
void coverAt(vec3 p, out float share[MOST_CLASSES], out float mown) {
  vec4 broad = texture2D(groundNoise, p.xz * 0.0117);
  vec4 fine = texture2D(groundNoise, p.xz * 0.083 + 0.31);
  vec4 small = texture2D(groundNoise, p.xz * 0.37 + 0.07);
  vec2 at = (p.xz - splatAt.xy) * splatAt.zw;
  float sum = 0.0;
  vec4 found;
  for (int k = 0; k < MOST_CLASSES; k++) {
    share[k] = 0.0;
    if (k >= classCount) continue;
    if (k % 4 == 0) found = fourShares(k / 4, at);
    if (found[k % 4] == 0.0) continue;
    // where classes meet, each has the upper hand in patches of its own
    float hand = fine[k % 4] * 0.6 + small[(k + 1) % 4] * 0.4;
    share[k] = found[k % 4] * exp2(9.0 * (hand - 0.5));
    sum += share[k];
  }
  for (int k = 0; k < MOST_CLASSES; k++) share[k] /= max(sum, 1e-6);
  vec3 path = pathAt(p.xz);
  float side = abs(path.y - 0.5) * 2.0;
  float ragged = 0.16 * (fine.b - 0.5) + 0.34 * (fine.r - 0.5);
  float worn = smoothstep(0.2, 0.75, path.x * (1.0 - smoothstep(0.55, 1.0, side + ragged)));
  float middle = (1.0 - smoothstep(0.10, 0.30, side)) * smoothstep(0.40, 0.62, fine.g * 0.6 + broad.b * 0.4);
  worn *= 1.0 - 0.85 * middle;
  float stony = path.z < 0.5 ? 0.9 * smoothstep(0.56, 0.66, fine.b * 0.5 + fine.g * 0.5) : 0.94;
  mown = path.z > 2.5 ? worn : 0.0;
  if (path.z > 2.5 || worn == 0.0) return;
  for (int k = 0; k < MOST_CLASSES; k++) {
    share[k] *= 1.0 - worn;
    if (path.z > 1.5) share[k] += k == pathClass[2] ? worn : 0.0;
    else share[k] += worn * ((k == pathClass[0] ? 1.0 - stony : 0.0) + (k == pathClass[1] ? stony : 0.0));
  }
}

/** How much of a place is grass. */
float grassAt(float share[MOST_CLASSES]) {
  float sum = 0.0;
  for (int k = 0; k < MOST_CLASSES; k++) if (k < classCount && classLook[k] == 0.0) sum += share[k];
  return sum;
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
uniform float coverMetres[MOST_CLASSES];
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
