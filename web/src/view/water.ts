/** Standing water: calm, it mirrors what stands about it, takes light in with its depth and thins out at the shore. */
import * as THREE from 'three';
import type { Atmosphere } from './atmosphere';
import { FRAME_NOISE, frame } from './chunks';
import { SKY } from './clouds';
import type { HeightField } from './ground';
import { wind } from './materials';

/** Waves that run with the wind: length in metres, turn from the wind, share of the whole height. */
const WAVES = [
  [9.1, 0.1, 0.22], [6.3, -0.35, 0.2], [4.2, 0.42, 0.15], [2.9, -0.12, 0.12], [1.9, 0.62, 0.1],
  [1.27, -0.55, 0.08], [0.83, 0.25, 0.06], [0.55, -0.8, 0.04], [0.37, 0.7, 0.03],
] as const; // prettier-ignore

const FRAGMENT = /* glsl */ `
#include <common>
${FRAME_NOISE}
${SKY}
uniform sampler2D mirrorMap;
uniform float mirrored;
uniform float windTime;
uniform vec2 windForce;
uniform sampler2D bedMap;
uniform vec2 bedSize;
uniform float bedSamples;
uniform vec3 lightLevel;
varying vec3 place;
varying vec4 mirrorPlace;

float bedHeight(vec2 g) {
  vec2 p = (g / bedSize + 0.5) * (bedSamples - 1.0);
  vec2 i = clamp(floor(p), vec2(0.0), vec2(bedSamples - 2.0)), f = clamp(p - i, 0.0, 1.0);
  ivec2 k = ivec2(i);
  float a = texelFetch(bedMap, k, 0).r, b = texelFetch(bedMap, k + ivec2(1, 0), 0).r;
  float c = texelFetch(bedMap, k + ivec2(0, 1), 0).r, d = texelFetch(bedMap, k + ivec2(1, 1), 0).r;
  return mix(mix(a, b, f.x), mix(c, d, f.x), f.y);
}

/** One wave's part of the slope; what a pixel cannot hold becomes roughness. */
void wave(vec2 p, vec2 way, float metres, float share, float height, float footprint, inout vec2 slope, inout float rough) {
  float k = 6.2831853 / metres;
  float steep = k * height * share;
  float kept = 1.0 - smoothstep(0.25, 0.75, footprint / metres);
  slope += way * (steep * kept * cos(k * dot(p, way) - sqrt(9.81 * k) * windTime));
  rough += steep * steep * 0.5 * (1.0 - kept * kept);
}

void main() {
  vec3 eye = cameraPosition - place;
  float away = length(eye);
  vec3 v = eye / away;
  float depth = place.y - bedHeight(place.xz);
  if (depth < -0.02) discard;
  float force = length(windForce);
  vec2 way = force > 0.01 ? windForce / force : vec2(1.0, 0.0);
  // gusts leave calm and ruffled patches
  float patch_ = 0.25 + 1.5 * texture2D(skyNoise, place.xz * 0.0093 + way * windTime * 0.004).r * texture2D(skyNoise, place.xz * 0.031).g;
  float height = 0.0011 * min(force, 12.0) * patch_ * smoothstep(0.0, 0.5, depth);
  float footprint = away * 0.0016 / max(v.y, 0.05);
  vec2 slope = vec2(0.0);
  float rough = 0.0;
  ${WAVES.map(([metres, turn, share]) => `wave(place.xz, mat2(${Math.cos(turn).toFixed(4)}, ${Math.sin(turn).toFixed(4)}, ${(-Math.sin(turn)).toFixed(4)}, ${Math.cos(turn).toFixed(4)}) * way, ${metres.toFixed(2)}, ${share.toFixed(2)}, height, footprint, slope, rough);`).join('\n  ')}
  float a = 6.2831853 * frameNoise(gl_FragCoord.xy, frameSeed.x);
  float r = sqrt(-2.0 * log(max(1e-3, frameNoise(gl_FragCoord.xy + 19.0, frameSeed.y))));
  slope += sqrt(rough) * r * vec2(cos(a), sin(a));
  vec3 n = normalize(vec3(-slope.x, 1.0, -slope.y));
  vec3 reflected = reflect(-v, n);
  reflected.y = max(abs(reflected.y), 0.004);
  reflected = normalize(reflected);
  vec3 sky = skyRadiance(reflected);
  float glint = smoothstep(0.99985, 0.99997, dot(reflected, skyLight));
  sky += skyPower * glint * 4.0 * (1.0 - skyVeil);
  vec2 at = mirrorPlace.xy / mirrorPlace.w * 0.5 + 0.5 + vec2(slope.x, slope.y) * 0.35;
  vec4 seen = texture2D(mirrorMap, clamp(at, 0.002, 0.998));
  vec3 mirror = mix(sky, seen.rgb / max(seen.a, 1e-3), mirrored * smoothstep(0.05, 0.6, seen.a));
  float fresnel = 0.02 + 0.98 * pow(1.0 - clamp(dot(v, n), 0.0, 1.0), 5.0);
  // what comes back from the bed, and from the water itself
  float down = max(depth, 0.0) / max(v.y, 0.25);
  vec3 through = exp(-vec3(1.9, 1.15, 1.7) * down);
  vec3 own = lightLevel * vec3(0.0045, 0.0068, 0.0042) * (1.0 - through);
  vec3 c = mix(own, mirror, fresnel);
  float clear = clamp(dot(through, vec3(0.3333)), 0.0, 1.0) * (1.0 - fresnel);
  float shore = smoothstep(0.0, 0.07, depth);
  vec3 haze = exp(-away * skyAir * vec3(0.62, 0.78, 1.12));
  gl_FragColor = vec4(mix(skyHaze, c / max(1.0 - clear, 0.02), haze), (1.0 - clear) * shore);
}`;

export class Water {
  readonly mesh: THREE.Mesh<THREE.PlaneGeometry, THREE.ShaderMaterial>;
  private readonly target = new THREE.WebGLRenderTarget(512, 512, { type: THREE.HalfFloatType });
  private readonly mirror = new THREE.PerspectiveCamera();
  private readonly matrix = new THREE.Matrix4();
  private bed: THREE.DataTexture | null = null;
  private field: HeightField | null = null;

  constructor(private readonly atmosphere: Atmosphere) {
    const material = new THREE.ShaderMaterial({
      transparent: true,
      toneMapped: false,
      uniforms: {
        ...atmosphere.sky.values,
        ...wind,
        ...frame,
        mirrorMap: { value: this.target.texture },
        mirrorMatrix: { value: this.matrix },
        mirrored: { value: 0 },
        bedMap: { value: null },
        bedSize: { value: new THREE.Vector2(1, 1) },
        bedSamples: { value: 2 },
        lightLevel: { value: new THREE.Color() },
      },
      vertexShader: /* glsl */ `
        uniform mat4 mirrorMatrix;
        varying vec3 place;
        varying vec4 mirrorPlace;
        void main() {
          vec4 world = modelMatrix * vec4(position, 1.0);
          place = world.xyz;
          mirrorPlace = mirrorMatrix * world;
          gl_Position = projectionMatrix * viewMatrix * world;
        }`,
      fragmentShader: FRAGMENT,
    });
    this.mesh = new THREE.Mesh(new THREE.PlaneGeometry(1, 1).rotateX(-Math.PI / 2), material);
    this.mesh.renderOrder = 4;
    this.mesh.visible = false;
  }

  private uniform(name: string): THREE.IUniform {
    return this.mesh.material.uniforms[name] as THREE.IUniform;
  }

  set(level: number | null, size: number) {
    this.mesh.visible = level !== null;
    this.mesh.position.y = level ?? 0;
    this.mesh.scale.set(size, 1, size);
  }

  /** The ground below, from which its depth comes. */
  over(field: HeightField) {
    if (field === this.field) return;
    this.field = field;
    this.bed?.dispose();
    const { samples } = field;
    this.bed = new THREE.DataTexture(field.heights, samples, samples, THREE.RedFormat, THREE.FloatType);
    this.bed.needsUpdate = true;
    this.uniform('bedMap').value = this.bed;
    this.uniform('bedSamples').value = samples;
    (this.uniform('bedSize').value as THREE.Vector2).set(field.size, field.size);
  }

  /** Draw what the water mirrors; not while the camera moves. */
  reflect(
    renderer: THREE.WebGLRenderer,
    scene: THREE.Scene,
    camera: THREE.PerspectiveCamera,
    dome: THREE.Object3D,
    off: boolean,
  ) {
    if (!this.mesh.visible) return;
    (this.uniform('lightLevel').value as THREE.Color).setRGB(...this.atmosphere.level);
    const level = this.mesh.position.y;
    if (off || camera.position.y <= level) {
      this.uniform('mirrored').value = 0;
      return;
    }
    const flip = new THREE.Matrix4().set(1, 0, 0, 0, 0, -1, 0, 2 * level, 0, 0, 1, 0, 0, 0, 0, 1);
    camera.updateMatrixWorld();
    this.mirror.copy(camera, false);
    this.mirror.matrixAutoUpdate = false;
    // mirrored twice (the world, and the picture from left to right), so that triangles keep their winding
    const turn = new THREE.Matrix4().makeScale(1, -1, 1);
    this.mirror.matrixWorld.multiplyMatrices(flip, camera.matrixWorld).multiply(turn);
    this.mirror.matrix.copy(this.mirror.matrixWorld);
    this.mirror.matrixWorldInverse.copy(this.mirror.matrixWorld).invert();
    this.mirror.matrixWorldAutoUpdate = false;
    this.matrix.multiplyMatrices(this.mirror.projectionMatrix, this.mirror.matrixWorldInverse);
    this.clip(level - 0.02);
    this.mesh.visible = dome.visible = false;
    const full = renderer.getDrawingBufferSize(new THREE.Vector2());
    this.target.setSize(Math.ceil(full.x * 0.75), Math.ceil(full.y * 0.75));
    const clear = renderer.getClearColor(new THREE.Color());
    const alpha = renderer.getClearAlpha();
    renderer.setRenderTarget(this.target);
    renderer.setClearColor(0x000000, 0);
    renderer.clear();
    renderer.render(scene, this.mirror);
    renderer.setRenderTarget(null);
    renderer.setClearColor(clear, alpha);
    this.mesh.visible = dome.visible = true;
    this.uniform('mirrored').value = 1;
  }

  /** Let the mirror's near plane lie in the water, so that nothing below is drawn (Lengyel 2005). */
  private clip(height: number) {
    const { projectionMatrix, matrixWorldInverse } = this.mirror;
    const plane = new THREE.Plane(new THREE.Vector3(0, 1, 0), -height).applyMatrix4(matrixWorldInverse);
    const p = projectionMatrix.elements as unknown as number[];
    const at = (k: number) => p[k] ?? 0;
    const q = new THREE.Vector4(
      (Math.sign(plane.normal.x) + at(8)) / at(0),
      (Math.sign(plane.normal.y) + at(9)) / at(5),
      -1,
      (1 + at(10)) / at(14),
    );
    const c = new THREE.Vector4(plane.normal.x, plane.normal.y, plane.normal.z, plane.constant);
    c.multiplyScalar(2 / c.dot(q));
    [p[2], p[6], p[10], p[14]] = [c.x, c.y, c.z + 1, c.w];
  }

  dispose() {
    this.target.dispose();
    this.bed?.dispose();
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
  }
}
