/** Blades of grass near the eye: where the ground is grass, of its colour, thinner the farther away. */
import * as THREE from 'three';
import { COVER, covers } from './covers';
import type { HeightField } from './ground';
import { wind } from './materials';

const REACH = 26; // metres from the eye
const CELL = 0.34; // metres
const NEAR = 8; // metres within which every blade stands
const BLADES = 12; // in a cell
const ROOM = 16_000; // cells

/** One cell's blades: two sections and a tip each, bent outwards; how far each blade is thinned lies in `own`. */
function tuft(): THREE.BufferGeometry {
  const position: number[] = [];
  const own: number[] = [];
  const index: number[] = [];
  let state = 7;
  const random = () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 2 ** 32;
  };
  for (let b = 0; b < BLADES; b++) {
    const [x, z, angle] = [(random() - 0.5) * CELL * 1.3, (random() - 0.5) * CELL * 1.3, random() * 2 * Math.PI];
    const [dx, dz] = [Math.cos(angle), Math.sin(angle)];
    const long = 0.075 + 0.1 * random() ** 2;
    const bend = 0.25 + 0.75 * random();
    const half = 0.0034 + 0.002 * random();
    const first = position.length / 3;
    const seed = random();
    for (let s = 0; s < 3; s++) {
      const t = s / 2.4;
      const out = bend * long * 0.8 * t * t;
      const up = long * t * (1 - 0.25 * bend * t);
      const wide = half * (1 - 0.55 * t);
      for (const side of [-1, 1]) {
        position.push(x + dx * out - dz * wide * side, up, z + dz * out + dx * wide * side);
        own.push(t, seed, bend, (b + 0.5) / BLADES);
      }
    }
    const [out, up] = [bend * long * 0.85, long * (1 - 0.28 * bend)];
    position.push(x + dx * out, up, z + dz * out);
    own.push(1, seed, bend, (b + 0.5) / BLADES);
    for (const s of [0, 2])
      index.push(first + s, first + s + 1, first + s + 2, first + s + 1, first + s + 3, first + s + 2);
    index.push(first + 4, first + 5, first + 6);
  }
  const made = new THREE.BufferGeometry();
  made.setAttribute('position', new THREE.Float32BufferAttribute(position, 3));
  made.setAttribute(
    'normal',
    new THREE.Float32BufferAttribute(
      position.map((_, k) => (k % 3 === 1 ? 1 : 0)),
      3,
    ),
  );
  made.setAttribute('own', new THREE.Float32BufferAttribute(own, 4));
  made.setIndex(index);
  return made;
}

/** A number in [0, 1) of a cell, the same wherever the eye is. */
function hash(x: number, z: number): number {
  let h = (Math.imul(x, 374761393) + Math.imul(z, 668265263)) | 0;
  h = Math.imul(h ^ (h >>> 13), 1274126177);
  return ((h ^ (h >>> 16)) >>> 0) / 2 ** 32;
}

export class Blades {
  readonly mesh: THREE.Mesh<THREE.InstancedBufferGeometry, THREE.MeshLambertMaterial>;
  private readonly places = new THREE.InstancedBufferAttribute(new Float32Array(ROOM * 4), 4);

  constructor() {
    const source = tuft();
    const geometry = new THREE.InstancedBufferGeometry();
    geometry.setIndex(source.index);
    for (const [name, attribute] of Object.entries(source.attributes)) geometry.setAttribute(name, attribute);
    geometry.setAttribute('place', this.places);
    geometry.instanceCount = 0;
    const material = new THREE.MeshLambertMaterial({ side: THREE.DoubleSide });
    material.onBeforeCompile = (shader) => {
      Object.assign(shader.uniforms, covers, wind);
      shader.vertexShader = shader.vertexShader
        .replace(
          '#include <common>',
          `#include <common>
          ${COVER}
          attribute vec4 own;
          attribute vec4 place;
          uniform float windTime;
          uniform vec2 windForce;
          varying vec3 bladeTone;`,
        )
        .replace(
          '#include <begin_vertex>',
          /* glsl */ `
          float turn = place.w * 6.2831853;
          vec2 way = vec2(cos(turn), sin(turn));
          vec3 q = vec3(position.x * way.x - position.z * way.y, position.y, position.x * way.y + position.z * way.x);
          float share[MOST_CLASSES];
          float mown;
          coverAt(place.xyz, share, mown);
          float dry = place.y - waterLevel;
          float stands = smoothstep(0.35, 0.8, grassAt(share)) * smoothstep(0.12, 0.3, dry) * (1.0 - 0.85 * mown);
          float vary = texture2D(groundNoise, place.xz * 0.11).g;
          float away = distance(place.xz, cameraPosition.xz);
          float thin = pow(${NEAR.toFixed(1)} / max(away, ${NEAR.toFixed(1)}), 1.15) * (1.0 - smoothstep(${(REACH * 0.7).toFixed(1)}, ${REACH.toFixed(1)}, away));
          float grown = own.w < thin ? stands * (0.55 + 0.9 * vary) : 0.0;
          q.xz *= mix(0.6, 1.0, grown) * (1.0 + 0.05 * away);
          q.y *= grown;
          if (grown < 0.05) q = vec3(0.0, -0.2, 0.0);
          float k = min(length(windForce) / 12.0, 1.5);
          q.xz += normalize(windForce + 1e-4) * own.x * own.x * k * 0.05 * (0.6 + 0.5 * sin(windTime * 2.3 - dot(place.xz, normalize(windForce + 1e-4)) * 0.7 + own.y * 4.0));
          vec3 transformed = place.xyz + q;
          vec3 tint = meadowTint(place.xz);
          vec3 green = mix(vec3(0.060, 0.092, 0.018), vec3(0.125, 0.150, 0.036), own.y);
          if (own.y > 0.95) green = vec3(0.20, 0.18, 0.08);
          bladeTone = green * tint * mix(0.55, 1.45, own.x);`,
        )
        .replace(
          '#include <beginnormal_vertex>',
          'vec3 objectNormal = normalize(vec3(cos(place.w * 6.2831853 + own.y * 6.0) * 0.35, 1.0, sin(place.w * 6.2831853 + own.y * 6.0) * 0.35));',
        );
      shader.fragmentShader = shader.fragmentShader
        .replace('#include <common>', '#include <common>\nvarying vec3 bladeTone;')
        .replace('#include <color_fragment>', 'diffuseColor.rgb = bladeTone;')
        .replace(
          '#include <normal_fragment_begin>',
          THREE.ShaderChunk.normal_fragment_begin.replace('gl_FrontFacing ? 1.0 : - 1.0', '1.0'),
        );
    };
    material.customProgramCacheKey = () => 'plough blades';
    this.mesh = new THREE.Mesh(geometry, material);
    this.mesh.frustumCulled = false;
    this.mesh.receiveShadow = true;
    this.places.setUsage(THREE.DynamicDrawUsage);
  }

  /** Sow the cells that the eye sees. */
  prepare(field: HeightField, camera: THREE.PerspectiveCamera, frustum: THREE.Frustum) {
    const eye = camera.position;
    const ground = field.height(eye.x, eye.z);
    this.mesh.visible = eye.y - ground < REACH;
    if (!this.mesh.visible) return;
    const cells = Math.ceil(REACH / CELL);
    const [cx, cz] = [Math.round(eye.x / CELL), Math.round(eye.z / CELL)];
    const data = this.places.array as Float32Array;
    const half = field.size / 2;
    const point = new THREE.Vector3();
    let n = 0;
    for (let i = -cells; i <= cells; i++)
      for (let j = -cells; j <= cells && n < ROOM; j++) {
        const [x, z] = [(cx + i) * CELL, (cz + j) * CELL];
        const away = Math.hypot(x - eye.x, z - eye.z);
        if (away > REACH || Math.abs(x) > half || Math.abs(z) > half) continue;
        const own = hash(cx + i, cz + j);
        const y = field.height(x, z);
        point.set(x, y + 0.05, z);
        if (!near(frustum, point, 0.5)) continue;
        data.set([x + (own - 0.5) * 0.1, y, z + (hash(cz + j, cx + i) - 0.5) * 0.1, own], n * 4);
        n++;
      }
    this.mesh.geometry.instanceCount = n;
    this.places.clearUpdateRanges();
    this.places.addUpdateRange(0, n * 4);
    this.places.needsUpdate = true;
  }

  dispose() {
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
  }
}

function near(frustum: THREE.Frustum, point: THREE.Vector3, reach: number): boolean {
  return frustum.planes.every((plane) => plane.distanceToPoint(point) > -reach);
}
