/** The terrain: chunks at four steps of detail, covered by classes of ground. */
import * as THREE from 'three';
import { FRAME_NOISE, frame } from './chunks';
import { COVER, covers, TILING } from './covers';

export class HeightField {
  constructor(
    readonly heights: Float32Array,
    readonly samples: number,
    readonly size: number,
  ) {}

  get spacing() {
    return this.size / (this.samples - 1);
  }

  /** The height of the ground's middle border, where the land beyond goes on. */
  get lowest(): number {
    const n = this.samples;
    let sum = 0;
    for (let k = 0; k < n; k++) sum += (this.heights[k] ?? 0) + (this.heights[(n - 1) * n + k] ?? 0);
    return sum / (2 * n);
  }

  height(x: number, z: number): number {
    const n = this.samples;
    const u = Math.min(Math.max((x + this.size / 2) / this.spacing, 0), n - 1);
    const v = Math.min(Math.max((z + this.size / 2) / this.spacing, 0), n - 1);
    const c = Math.min(Math.floor(u), n - 2);
    const r = Math.min(Math.floor(v), n - 2);
    const f = u - c;
    const g = v - r;
    const at = (i: number, j: number) => this.heights[i * n + j] ?? 0;
    return (at(r, c) * (1 - f) + at(r, c + 1) * f) * (1 - g) + (at(r + 1, c) * (1 - f) + at(r + 1, c + 1) * f) * g;
  }

  /** Square to the ground; a unit vector. */
  normal(x: number, z: number): THREE.Vector3 {
    const step = this.spacing / 2;
    const slope = (dx: number, dz: number) => this.height(x - dx, z - dz) - this.height(x + dx, z + dz);
    return new THREE.Vector3(slope(step, 0), 2 * step, slope(0, step)).normalize();
  }

  /** Where a ray meets the ground; null when it does not. */
  hit(ray: THREE.Ray): THREE.Vector3 | null {
    const half = this.size / 2;
    const above = (t: number) => {
      const p = ray.at(t, new THREE.Vector3());
      return p.y - this.height(p.x, p.z);
    };
    let last = 0;
    for (let t = 0.2; t < 6000; t += Math.max(this.spacing * 0.5, t * 0.01)) {
      if (above(t) <= 0) {
        let low = last;
        let high = t;
        for (let k = 0; k < 24; k++) {
          const middle = (low + high) / 2;
          if (above(middle) > 0) low = middle;
          else high = middle;
        }
        const p = ray.at(high, new THREE.Vector3());
        return Math.abs(p.x) <= half && Math.abs(p.z) <= half ? p : null;
      }
      last = t;
    }
    return null;
  }
}

/** The height of standing water, which the ground is wet about; and metres between contour lines, 0 for none. */
export function look(water: number | null, contours: number) {
  covers.waterLevel.value = water ?? -1e4;
  covers.contour.value = contours;
}

const COLOR = /* glsl */ `
  float share[MOST_CLASSES];
  float mown;
  coverAt(place, share, mown);
  float pick = frameNoise(gl_FragCoord.xy, frameSeed.x);
  // one class and one neighbour a frame: the frames mix them
  int chosen = 0;
  for (int k = 0; k < MOST_CLASSES; k++) {
    if (pick >= 0.0 && share[k] > 0.0) chosen = k;
    pick -= share[k];
  }
  float kind = classCover[chosen];
  float look = classLook[chosen];
  float metres = coverMetres[int(kind)];
  // laid on from above or, where it is steep, from the side that it faces; where it faces both, the frames mix them
  vec3 across = dFdx(place) / metres, down = dFdy(place) / metres;
  vec3 faced = pow(abs(normalize(slopeNormal)), vec3(8.0));
  float side = frameNoise(gl_FragCoord.yx + 57.0, frameSeed.y) * (faced.x + faced.y + faced.z);
  bool above = side < faced.y, east = !above && side < faced.y + faced.x;
  vec2 flatPlace = above ? place.xz : east ? vec2(place.z, -place.y) : vec2(place.x, -place.y);
  vec2 coverAcross = above ? across.xz : east ? vec2(across.z, -across.y) : vec2(across.x, -across.y);
  vec2 coverDown = above ? down.xz : east ? vec2(down.z, -down.y) : vec2(down.x, -down.y);
  vec2 at;
  mat2 turn;
  coverTap(flatPlace, metres, frameNoise(gl_FragCoord.yx * 1.37 + 31.0, frameSeed.y), at, turn);
  vec3 c = textureGrad(coverAlbedo, vec3(at, kind), turn * coverAcross, turn * coverDown).rgb;
  vec2 bump = textureGrad(coverNormal, vec3(at, kind), turn * coverAcross, turn * coverDown).xy * 2.0 - 1.0;
  bump = bump * turn * (look == 0.0 ? 0.7 : 0.9); // the inverse of the turn
  coverBump = above ? vec3(bump.x, 0.0, -bump.y) : east ? vec3(0.0, bump.y, bump.x) : vec3(bump.x, bump.y, 0.0);
  if (look == 0.0) c *= meadowTint(place.xz) * mix(vec3(1.22, 1.30, 1.22), vec3(1.75, 1.72, 1.35), mown);
  else if (look == 1.0) c *= vec3(1.48, 1.40, 1.28); // dry where it is trodden
  c *= classTint[chosen];
  float broad = texture2D(groundNoise, place.xz * 0.021 + 0.4).r;
  c *= 0.90 + 0.20 * broad;
  float shore = place.y - waterLevel;
  float damp = 1.0 - smoothstep(0.0, 0.22, shore + 0.06 * (broad - 0.5));
  c *= 1.0 - 0.45 * damp;
  if (contour > 0.0) {
    float h = place.y / contour;
    float thin = 1.0 - smoothstep(0.6, 1.5, abs(fract(h - 0.5) - 0.5) / max(fwidth(h), 1e-5));
    float h5 = h / 5.0;
    float thick = 1.0 - smoothstep(0.9, 2.2, abs(fract(h5 - 0.5) - 0.5) / max(fwidth(h5), 1e-5));
    c = mix(c, vec3(0.86, 0.80, 0.62), max(thin * 0.34 * (1.0 - smoothstep(0.25, 0.6, fwidth(h))), thick * 0.6));
  }
  diffuseColor.rgb = c;
`;

/** Dressed by classes, whose shares lie on the map or, by vertex, on the triangles. */
export function groundMaterial(byVertex = false): THREE.MeshLambertMaterial {
  const made = new THREE.MeshLambertMaterial({ color: '#ffffff' });
  if (byVertex) made.defines = { BY_VERTEX: '' };
  made.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, covers, frame);
    shader.vertexShader = shader.vertexShader
      .replace(
        '#include <common>',
        `#include <common>
        varying vec3 place;
        varying vec3 slopeNormal;
        #ifdef BY_VERTEX
        attribute vec4 _class_0;
        attribute vec4 _class_1;
        attribute vec4 _class_2;
        varying vec4 ofClass[3];
        #endif`,
      )
      .replace(
        '#include <begin_vertex>',
        `#include <begin_vertex>
        place = position;
        slopeNormal = normal;
        #ifdef BY_VERTEX
        ofClass[0] = _class_0;
        ofClass[1] = _class_1;
        ofClass[2] = _class_2;
        #endif`,
      );
    shader.fragmentShader = shader.fragmentShader
      .replace(
        '#include <common>',
        `#include <common>
        ${FRAME_NOISE}
        ${COVER}
        ${TILING}
        varying vec3 place;
        varying vec3 slopeNormal;
        uniform float contour;
        uniform float classCover[MOST_CLASSES];
        uniform vec3 classTint[MOST_CLASSES];
        vec3 coverBump;`,
      )
      .replace('#include <color_fragment>', COLOR)
      .replace(
        '#include <normal_fragment_maps>',
        'normal = normalize(normal + (viewMatrix * vec4(coverBump, 0.0)).xyz);',
      );
  };
  made.customProgramCacheKey = () => `plough ground ${byVertex}`;
  return made;
}

const STEPS = [1, 2, 4, 8];

export class Ground {
  readonly group = new THREE.Group();
  field: HeightField | null = null;
  private chunks: { mesh: THREE.Mesh; centre: THREE.Vector3; radius: number }[] = [];
  private indices: THREE.BufferAttribute[] = [];
  /** Triangles that are shown in place of the heights. */
  worn: THREE.Mesh[] = [];
  private readonly look = groundMaterial();
  private readonly lookByVertex = groundMaterial(true);

  set(field: HeightField) {
    if (this.field === field) return;
    this.field = field;
    for (const { mesh } of this.chunks) mesh.geometry.dispose();
    for (const { mesh } of this.chunks) mesh.removeFromParent();
    this.chunks = [];
    const cells = field.samples - 1;
    const side = cells <= 512 ? 32 : cells <= 1024 ? 64 : 128;
    this.indices = STEPS.map((step) => chunkIndex(side, step));
    const across = Math.ceil(cells / side);
    for (let r = 0; r < across; r++) for (let c = 0; c < across; c++) this.addChunk(field, side, r, c);
  }

  private addChunk(field: HeightField, side: number, r: number, c: number) {
    const n = side + 1;
    const edge = 4 * side;
    const positions = new Float32Array((n * n + edge) * 3);
    const normals = new Float32Array((n * n + edge) * 3);
    const last = field.samples - 1;
    const s = field.spacing;
    const height = (i: number, j: number) =>
      field.heights[Math.min(Math.max(i, 0), last) * field.samples + Math.min(Math.max(j, 0), last)] ?? 0;
    let low = Infinity;
    let high = -Infinity;
    for (let i = 0; i < n; i++)
      for (let j = 0; j < n; j++) {
        const gi = Math.min(r * side + i, last);
        const gj = Math.min(c * side + j, last);
        const k = (i * n + j) * 3;
        const y = height(gi, gj);
        positions[k] = gj * s - field.size / 2;
        positions[k + 1] = y;
        positions[k + 2] = gi * s - field.size / 2;
        const dx = (height(gi, gj + 1) - height(gi, gj - 1)) / (2 * s);
        const dz = (height(gi + 1, gj) - height(gi - 1, gj)) / (2 * s);
        const l = 1 / Math.hypot(dx, 1, dz);
        normals[k] = -dx * l;
        normals[k + 1] = l;
        normals[k + 2] = -dz * l;
        low = Math.min(low, y);
        high = Math.max(high, y);
      }
    // a skirt hides the cracks between chunks of different detail
    const drop = Math.max(0.5, (high - low) * 0.2 + s);
    border(side).forEach((v, e) => {
      const k = (n * n + e) * 3;
      positions.set([positions[v * 3] ?? 0, (positions[v * 3 + 1] ?? 0) - drop, positions[v * 3 + 2] ?? 0], k);
      normals.set(normals.subarray(v * 3, v * 3 + 3), k);
    });
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute('position', new THREE.BufferAttribute(positions, 3));
    geometry.setAttribute('normal', new THREE.BufferAttribute(normals, 3));
    geometry.setIndex(this.indices[0] ?? null);
    geometry.computeBoundingSphere();
    const mesh = new THREE.Mesh(geometry, this.look);
    mesh.receiveShadow = true;
    mesh.visible = !this.worn.length;
    this.group.add(mesh);
    const sphere = geometry.boundingSphere as THREE.Sphere;
    this.chunks.push({ mesh, centre: sphere.center, radius: sphere.radius });
  }

  /** Show these triangles in place of the heights, bare ones dressed as ground is; none: the heights again. */
  wear(parts: { geometry: THREE.BufferGeometry; material: THREE.Material }[], bare: boolean) {
    for (const mesh of this.worn) mesh.removeFromParent();
    this.worn = parts.map(({ geometry, material }) => {
      const mesh = new THREE.Mesh(geometry, bare ? this.lookByVertex : material);
      mesh.castShadow = mesh.receiveShadow = true;
      return mesh;
    });
    if (this.worn.length) this.group.add(...this.worn);
    for (const { mesh } of this.chunks) mesh.visible = !this.worn.length;
  }

  dispose() {
    for (const { mesh } of this.chunks) mesh.geometry.dispose();
    this.look.dispose();
    this.lookByVertex.dispose();
  }

  /** Choose each chunk's detail by its distance. */
  prepare(camera: THREE.Camera, coarse: boolean) {
    for (const { mesh, centre, radius } of this.chunks) {
      const d = Math.max(0, camera.position.distanceTo(centre) - radius);
      let level = d < radius * 1.2 ? 0 : d < radius * 4 ? 1 : d < radius * 9 ? 2 : 3;
      if (coarse) level = Math.min(3, level + 1);
      const index = this.indices[level] ?? null;
      if (mesh.geometry.index !== index) mesh.geometry.setIndex(index);
    }
  }
}

function border(side: number): number[] {
  const n = side + 1;
  const out: number[] = [];
  for (let k = 0; k < side; k++) out.push(k);
  for (let k = 0; k < side; k++) out.push(k * n + side);
  for (let k = 0; k < side; k++) out.push(side * n + side - k);
  for (let k = 0; k < side; k++) out.push((side - k) * n);
  return out;
}

function chunkIndex(side: number, step: number): THREE.BufferAttribute {
  const n = side + 1;
  const out: number[] = [];
  for (let i = 0; i < side; i += step)
    for (let j = 0; j < side; j += step) {
      const a = i * n + j;
      const b = a + step;
      const c = a + step * n;
      const d = c + step;
      out.push(a, c, b, b, c, d);
    }
  const rim = border(side);
  const edge = rim.length;
  for (let e = 0; e < edge; e += step) {
    const f = (e + step) % edge;
    const p = rim[e] ?? 0;
    const q = rim[f] ?? 0;
    out.push(p, q, n * n + e, q, n * n + f, n * n + e);
  }
  return new THREE.BufferAttribute(new Uint32Array(out), 1);
}
