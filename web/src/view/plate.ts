/** A picture that develops while nothing moves: the mean of frames that each see the scene a little otherwise. */
import * as THREE from 'three';
import { FullScreenQuad } from 'three/examples/jsm/postprocessing/Pass.js';
import { targetBytes } from './memory';
import { halton, onDisc, r2 } from './light/sampling';

const VERTEX = 'varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }';

/** Fold a frame into the mean; a value that is no number would stay in it for good. */
const FOLD = /* glsl */ `
uniform sampler2D before;
uniform sampler2D next;
uniform float share;
varying vec2 at;
void main() {
  vec3 old = texture2D(before, at).rgb;
  vec3 seen = texture2D(next, at).rgb;
  bool sound = all(greaterThanEqual(seen, vec3(0.0))) && all(lessThan(seen, vec3(6e4)));
  seen = sound ? min(seen, vec3(60.0)) : (share < 1.0 ? old : vec3(0.0));
  gl_FragColor = vec4(share < 1.0 ? mix(old, seen, share) : seen, 1.0);
}`;

/** Exposed, toned, and opaque: edges of leaves cover part of a pixel, and the page must not shine through there. */
const PRINT = /* glsl */ `
#define saturate(a) clamp(a, 0.0, 1.0)
#include <tonemapping_pars_fragment>
uniform sampler2D picture;
uniform bool plain;
varying vec2 at;
void main() {
  vec3 seen = texture2D(picture, at).rgb;
  vec3 c = plain ? seen : AgXToneMapping(seen);
  if (!plain) c = mix(vec3(dot(c, vec3(0.2126, 0.7152, 0.0722))), c, 1.22);
  c = max(c, 0.0);
  c = mix(c * 12.92, 1.055 * pow(c, vec3(0.41666)) - 0.055, step(0.0031308, c));
  if (!plain) c = mix(c, c * c * (3.0 - 2.0 * c), 0.32);
  gl_FragColor = vec4(c, 1.0);
}`;

function shader(fragmentShader: string, uniforms: Record<string, THREE.IUniform>): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    vertexShader: VERTEX,
    fragmentShader,
    uniforms,
    depthTest: false,
    depthWrite: false,
    toneMapped: false,
  });
}

/** What a picture is taken through. */
export interface Lens {
  /** Stops over what the light asks for. */
  exposure: number;
  /** Metres; 0 keeps all sharp. */
  radius: number;
  /** Metres from the eye at which it is sharp. */
  focus: number;
}

/** How an image is written. */
export interface Picture {
  type: 'image/png' | 'image/jpeg';
  quality?: number;
}

export const PINHOLE: Lens = { exposure: 0, radius: 0, focus: 1 };

export class Plate {
  /** Frames that the mean holds. */
  frames = 0;
  /** What a frame is drawn into. */
  readonly target = target(THREE.HalfFloatType, true);
  private readonly means: readonly [THREE.WebGLRenderTarget, THREE.WebGLRenderTarget];
  private latest: THREE.WebGLRenderTarget;
  private readonly fold = shader(FOLD, { before: { value: null }, next: { value: null }, share: { value: 1 } });
  private readonly print = shader(PRINT, {
    picture: { value: null },
    plain: { value: false },
    toneMappingExposure: { value: 1 },
  });
  private readonly quad = new FullScreenQuad();
  private width = 0;
  private height = 0;

  constructor(private readonly gl: THREE.WebGLRenderer) {
    // halves, on a graphics card that cannot draw whole floats, are enough for a few frames
    const type = gl.extensions.has('EXT_color_buffer_float') ? THREE.FloatType : THREE.HalfFloatType;
    this.means = [target(type), target(type)];
    this.latest = this.means[0];
  }

  /** Bytes on the graphics card. */
  get bytes(): number {
    return [this.target, ...this.means].reduce((sum, each) => sum + targetBytes(each), 0);
  }

  /** Begin anew; what is seen stays until the first frame is there. */
  restart() {
    this.frames = 0;
  }

  private size(width: number, height: number) {
    if (width === this.width && height === this.height) return;
    [this.width, this.height] = [width, height];
    for (const each of [this.target, ...this.means]) each.setSize(width, height);
    this.frames = 0;
  }

  /** Where the camera of the next frame looks beside the pixel's middle, in pixels. */
  private jitter(): [number, number] {
    const k = this.frames;
    return k ? [halton(k, 3) - 0.5, halton(k, 5) - 0.5] : [0, 0]; // of what noise takes, nothing follows from it
  }

  /** Draw one more frame, of `size` pixels, and fold it in; each weighs at least `least`, so that a picture that moves goes on. */
  expose(scene: THREE.Scene, camera: THREE.PerspectiveCamera, size: THREE.Vector2, lens: Lens = PINHOLE, least = 0) {
    const { gl } = this;
    this.size(Math.max(2, Math.round(size.x)), Math.max(2, Math.round(size.y)));
    const [dx, dy] = this.jitter();
    const back = camera.position.clone();
    const [sx, sy] = this.through(lens, camera);
    camera.setViewOffset(this.width, this.height, dx - sx, dy + sy, this.width, this.height);
    gl.setRenderTarget(this.target);
    gl.render(scene, camera);
    camera.clearViewOffset();
    camera.position.copy(back);
    camera.updateMatrixWorld();
    const [a, b] = this.means;
    // a picture of one frame asks for one mean only, whatever was drawn before it
    const into = this.frames && this.latest === a ? b : a;
    const { before, next, share } = this.fold.uniforms as Record<string, THREE.IUniform>;
    if (before) before.value = (into === a ? b : a).texture;
    if (next) next.value = this.target.texture;
    if (share) share.value = Math.max(1 / (this.frames + 1), least);
    this.draw(this.fold, into);
    this.latest = into;
    this.frames++;
  }

  /** Move the camera to a point of its lens; by how many pixels what lies in focus would shift. */
  private through(lens: Lens, camera: THREE.PerspectiveCamera): [number, number] {
    if (!this.frames || lens.radius <= 0) return [0, 0];
    const [u, v] = onDisc(...r2(this.frames + 3));
    const [x, y] = [u * lens.radius, v * lens.radius];
    camera.updateMatrixWorld();
    camera.position
      .addScaledVector(new THREE.Vector3().setFromMatrixColumn(camera.matrixWorld, 0), x)
      .addScaledVector(new THREE.Vector3().setFromMatrixColumn(camera.matrixWorld, 1), y);
    camera.updateMatrixWorld();
    const perMetre = this.height / (2 * lens.focus * Math.tan(THREE.MathUtils.degToRad(camera.fov / 2)));
    return [x * perMetre, y * perMetre];
  }

  /** Show the mean on the canvas, or in another target; without an exposure its colours stay as they are. */
  show(exposure: number | null, into: THREE.WebGLRenderTarget | null = null) {
    const { picture, plain, toneMappingExposure } = this.print.uniforms as Record<string, THREE.IUniform>;
    if (picture) picture.value = this.latest.texture;
    if (plain) plain.value = exposure === null;
    if (toneMappingExposure) toneMappingExposure.value = exposure ?? 1;
    this.draw(this.print, into);
  }

  /** The mean as an image. */
  async picture(exposure: number | null, as: Picture = { type: 'image/png' }): Promise<Blob> {
    const { width, height } = this;
    const print = target(THREE.UnsignedByteType);
    print.setSize(width, height);
    this.show(exposure, print);
    const canvas = new OffscreenCanvas(width, height);
    const context = canvas.getContext('2d');
    if (!context) throw new Error('no image can be written here');
    const rows = 256; // at a time, the lowest first
    for (let y = 0; y < height; y += rows) {
      const tall = Math.min(rows, height - y);
      const strip = new Uint8Array(width * tall * 4);
      await this.gl.readRenderTargetPixelsAsync(print, 0, y, width, tall, strip);
      const image = context.createImageData(width, tall);
      for (let r = 0; r < tall; r++)
        image.data.set(strip.subarray(r * width * 4, (r + 1) * width * 4), (tall - 1 - r) * width * 4);
      context.putImageData(image, 0, height - y - tall);
    }
    print.dispose();
    return canvas.convertToBlob(as);
  }

  dispose() {
    for (const each of [this.target, ...this.means]) each.dispose();
    for (const each of [this.fold, this.print]) each.dispose();
    this.quad.dispose();
  }

  private draw(material: THREE.Material, into: THREE.WebGLRenderTarget | null) {
    this.gl.setRenderTarget(into);
    this.quad.material = material;
    this.quad.render(this.gl);
    this.gl.setRenderTarget(null);
  }
}

function target(type: THREE.TextureDataType, depth = false): THREE.WebGLRenderTarget {
  return new THREE.WebGLRenderTarget(4, 4, {
    type,
    depthBuffer: depth,
    minFilter: THREE.LinearFilter,
    magFilter: type === THREE.FloatType ? THREE.NearestFilter : THREE.LinearFilter,
  });
}
