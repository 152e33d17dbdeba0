/** The terrain: chunks at three steps of detail, coloured by height, slope and noise. */
import * as THREE from 'three';
import { NOISE } from './shaders';

export class HeightField {
  constructor(
    readonly heights: Float32Array,
    readonly samples: number,
    readonly size: number,
  ) {}

  get spacing() {
    return this.size / (this.samples - 1);
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

const uniforms = {
  waterLevel: { value: -1e4 },
  contour: { value: 0 },
  groundHalf: { value: 256 },
};

/** The height of standing water, which the ground is wet about; and metres between contour lines, 0 for none. */
export function look(water: number | null, contours: number) {
  uniforms.waterLevel.value = water ?? -1e4;
  uniforms.contour.value = contours;
}

function material(): THREE.MeshLambertMaterial {
  const made = new THREE.MeshLambertMaterial({ color: '#ffffff' });
  made.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, uniforms);
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', '#include <common>\nvarying vec3 place;\nvarying vec3 slopeNormal;')
      .replace('#include <begin_vertex>', '#include <begin_vertex>\nplace = position; slopeNormal = normal;');
    shader.fragmentShader = shader.fragmentShader
      .replace(
        '#include <common>',
        `#include <common>\n${NOISE}\nvarying vec3 place;\nvarying vec3 slopeNormal;\nuniform float waterLevel;\nuniform float contour;\nuniform float groundHalf;`,
      )
      .replace(
        '#include <color_fragment>',
        /* glsl */ `
        vec2 g = place.xz;
        float away = length(vViewPosition);
        float broad = fbm2(g * 0.017);
        float patches = fbm2(g * 0.085 + 11.0);
        float fine = fbm2(g * 0.9 + 3.0);
        float near = 1.0 - smoothstep(8.0, 55.0, away);
        float blades = near * (value2(g * vec2(33.0, 12.0)) * 0.5 + value2(g * vec2(14.0, 39.0)) * 0.5 - 0.5);
        vec3 meadow = mix(vec3(0.140, 0.175, 0.046), vec3(0.255, 0.262, 0.085), smoothstep(0.28, 0.68, broad));
        meadow = mix(meadow, vec3(0.340, 0.300, 0.135), smoothstep(0.48, 0.78, patches) * 0.62);
        meadow = mix(meadow, vec3(0.100, 0.145, 0.040), smoothstep(0.50, 0.25, patches) * 0.55);
        vec3 earth = mix(vec3(0.115, 0.080, 0.048), vec3(0.17, 0.13, 0.08), fine);
        float steep = 1.0 - slopeNormal.y;
        vec3 c = mix(meadow, earth, smoothstep(0.05, 0.16, steep + 0.05 * (fine - 0.5)));
        float shore = place.y - waterLevel + 0.24 * (patches - 0.5);
        vec3 marsh = mix(vec3(0.105, 0.120, 0.040), vec3(0.180, 0.158, 0.066), fine);
        c = mix(c, marsh, 1.0 - smoothstep(0.15, 0.75, shore));
        vec3 mud = mix(vec3(0.052, 0.042, 0.028), vec3(0.086, 0.070, 0.046), fine);
        c = mix(c, mud, 1.0 - smoothstep(-0.12, 0.16, shore));
        c *= 0.82 + 0.36 * fine;
        c *= 1.0 + 0.85 * blades;
        if (contour > 0.0) {
          float h = place.y / contour;
          float thin = 1.0 - smoothstep(0.6, 1.5, abs(fract(h - 0.5) - 0.5) / max(fwidth(h), 1e-5));
          float h5 = h / 5.0;
          float thick = 1.0 - smoothstep(0.9, 2.2, abs(fract(h5 - 0.5) - 0.5) / max(fwidth(h5), 1e-5));
          c = mix(c, vec3(0.86, 0.80, 0.62), max(thin * 0.34 * (1.0 - smoothstep(0.25, 0.6, fwidth(h))), thick * 0.6));
        }
        diffuseColor.rgb = c;
        `,
      )
      .replace(
        '#include <normal_fragment_maps>',
        /* glsl */ `
        {
          float e = 0.06;
          vec2 q = place.xz * 17.0;
          float n0 = value2(q), nx = value2(q + vec2(e * 17.0, 0.0)), nz = value2(q + vec2(0.0, e * 17.0));
          vec3 bump = vec3(-(nx - n0), 0.0, -(nz - n0)) * 0.55 * near;
          normal = normalize(normal + (viewMatrix * vec4(bump, 0.0)).xyz);
        }`,
      );
  };
  return made;
}

const STEPS = [1, 2, 4, 8];

export class Ground {
  readonly group = new THREE.Group();
  field: HeightField | null = null;
  private chunks: { mesh: THREE.Mesh; centre: THREE.Vector3; radius: number }[] = [];
  private indices: THREE.BufferAttribute[] = [];
  private readonly look = material();

  set(field: HeightField) {
    uniforms.groundHalf.value = field.size / 2;
    if (this.field === field) return;
    this.field = field;
    for (const { mesh } of this.chunks) mesh.geometry.dispose();
    this.group.clear();
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
    this.group.add(mesh);
    const sphere = geometry.boundingSphere as THREE.Sphere;
    this.chunks.push({ mesh, centre: sphere.center, radius: sphere.radius });
  }

  dispose() {
    for (const { mesh } of this.chunks) mesh.geometry.dispose();
    this.look.dispose();
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
