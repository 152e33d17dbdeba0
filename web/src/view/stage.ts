/** One renderer that draws on demand: coarse while the camera moves, the full picture when it rests. */
import * as THREE from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import { EffectComposer } from 'three/examples/jsm/postprocessing/EffectComposer.js';
import { OutputPass } from 'three/examples/jsm/postprocessing/OutputPass.js';
import { RenderPass } from 'three/examples/jsm/postprocessing/RenderPass.js';
import { Atmosphere } from './atmosphere';
import { sharpen, whenTextureLoaded, wind } from './materials';

const REST_AFTER = 160; // milliseconds without movement
const FAST = 22; // milliseconds a full frame may take to be drawn while moving, too

/** Tone mapping and colour space, opaque: edges of leaves cover part of a pixel, and the page must not shine through there. */
function outputPass(): OutputPass {
  const pass = new OutputPass();
  pass.material.fragmentShader = pass.material.fragmentShader.replace(/}\s*$/, 'gl_FragColor.a = 1.0;\n}');
  return pass;
}

export class Stage {
  readonly renderer: THREE.WebGLRenderer;
  readonly scene = new THREE.Scene();
  readonly camera = new THREE.PerspectiveCamera(50, 1, 0.1, 6000);
  readonly controls: OrbitControls;
  readonly atmosphere: Atmosphere;
  /** Before each picture; `moving` asks for coarse content. */
  onPrepare: (moving: boolean) => void = () => {};
  /** After each picture. */
  onDrawn: (moving: boolean) => void = () => {};
  /** Where the shadows are wanted: middle and reach in metres. */
  shadowAt: () => [THREE.Vector3, number] = () => [this.controls.target, 60];
  fast = false;
  animateWind = true;
  frames = 0;
  private readonly composer: EffectComposer;
  private timer = 0;
  private frame = 0;
  private moving = false;
  private lastTime = 0;
  private readonly sizes: ResizeObserver;

  constructor(private readonly host: HTMLElement) {
    this.renderer = new THREE.WebGLRenderer({
      antialias: false,
      powerPreference: 'high-performance',
      preserveDrawingBuffer: true,
    });
    this.renderer.toneMapping = THREE.NeutralToneMapping;
    this.renderer.toneMappingExposure = 1.12;
    this.renderer.shadowMap.enabled = true;
    this.renderer.shadowMap.type = THREE.PCFShadowMap;
    this.renderer.shadowMap.autoUpdate = false;
    this.renderer.domElement.style.display = 'block';
    this.renderer.domElement.tabIndex = 0;
    host.append(this.renderer.domElement);
    this.atmosphere = new Atmosphere(this.scene);
    const target = new THREE.WebGLRenderTarget(4, 4, { samples: 4, type: THREE.HalfFloatType });
    this.composer = new EffectComposer(this.renderer, target);
    this.composer.addPass(new RenderPass(this.scene, this.camera));
    this.composer.addPass(outputPass());
    this.controls = new OrbitControls(this.camera, this.renderer.domElement);
    this.controls.zoomToCursor = true;
    this.controls.screenSpacePanning = false;
    this.controls.maxPolarAngle = Math.PI * 0.55;
    this.controls.minDistance = 0.5;
    this.controls.maxDistance = 3000;
    this.controls.addEventListener('change', () => this.move());
    this.sizes = new ResizeObserver(() => this.resize());
    this.sizes.observe(host);
    whenTextureLoaded(() => this.refresh());
    this.resize();
  }

  dispose() {
    this.sizes.disconnect();
    clearTimeout(this.timer);
    cancelAnimationFrame(this.frame);
    this.controls.dispose();
    this.composer.dispose();
    this.renderer.dispose();
    this.renderer.domElement.remove();
  }

  get width() {
    return this.host.clientWidth;
  }

  get height() {
    return this.host.clientHeight;
  }

  private resize() {
    const w = Math.max(2, this.width);
    const h = Math.max(2, this.height);
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
    this.renderer.setSize(w, h);
    this.composer.setSize(w, h);
    this.refresh();
  }

  look(eye: THREE.Vector3Like, target: THREE.Vector3Like) {
    this.camera.position.set(eye.x, eye.y, eye.z);
    this.controls.target.set(target.x, target.y, target.z);
    this.controls.update();
    this.refresh();
  }

  /** The camera moves: coarse pictures until it rests. */
  move() {
    this.moving = true;
    this.ask();
    clearTimeout(this.timer);
    this.timer = window.setTimeout(() => {
      this.moving = false;
      this.ask();
    }, REST_AFTER);
  }

  /** Let the wind blow on by some seconds, on a machine that does not keep drawing by itself. */
  blow(seconds: number) {
    if (this.fast || this.moving) return;
    wind.windTime.value += seconds;
    this.ask();
  }

  /** Something else has changed: a full picture as soon as the camera rests. */
  refresh() {
    if (this.moving) return;
    this.ask();
  }

  private ask() {
    if (!this.frame) this.frame = requestAnimationFrame((now) => this.draw(now));
  }

  private draw(now: number) {
    this.frame = 0;
    const coarse = this.moving && !this.fast;
    const windy = this.fast && this.animateWind && wind.windForce.value.lengthSq() > 0.01;
    if (windy) wind.windTime.value += Math.min(0.1, (now - this.lastTime) / 1000);
    this.lastTime = now;
    const ratio = coarse ? 0.5 : Math.min(window.devicePixelRatio, 2);
    if (this.renderer.getPixelRatio() !== ratio) {
      this.renderer.setPixelRatio(ratio);
      this.composer.setPixelRatio(ratio);
    }
    this.renderer.info.autoReset = false;
    this.renderer.info.reset();
    this.onPrepare(coarse);
    const began = performance.now();
    if (coarse) {
      this.renderer.render(this.scene, this.camera);
    } else {
      const [centre, reach] = this.shadowAt();
      this.atmosphere.aim(centre, reach);
      this.renderer.shadowMap.needsUpdate = true;
      this.composer.render();
    }
    const gl = this.renderer.getContext();
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4)); // render() returns at once; this waits for the picture
    const cost = performance.now() - began;
    if (!coarse) this.fast = cost < (this.fast ? FAST * 1.6 : FAST);
    if (this.fast) sharpen();
    this.frames++;
    this.onDrawn(coarse);
    if (windy) this.ask();
  }

  /** Where the pointer is, from -1 to 1. */
  pointer(event: MouseEvent): THREE.Vector2 {
    const box = this.renderer.domElement.getBoundingClientRect();
    return new THREE.Vector2(
      ((event.clientX - box.left) / box.width) * 2 - 1,
      1 - ((event.clientY - box.top) / box.height) * 2,
    );
  }

  /** A point in pixels of the view; null behind the camera. */
  project(point: THREE.Vector3): { x: number; y: number } | null {
    const p = point.clone().project(this.camera);
    if (p.z > 1) return null;
    return { x: (p.x * 0.5 + 0.5) * this.width, y: (0.5 - p.y * 0.5) * this.height };
  }

  /** A JPEG of the view, `width` pixels wide. */
  async picture(width: number): Promise<Blob | null> {
    const canvas = document.createElement('canvas');
    canvas.width = width;
    canvas.height = Math.round(width * 0.56);
    const source = this.renderer.domElement;
    const tall = Math.min(source.height, source.width * 0.56);
    const wide = tall / 0.56;
    canvas
      .getContext('2d')
      ?.drawImage(
        source,
        (source.width - wide) / 2,
        (source.height - tall) / 2,
        wide,
        tall,
        0,
        0,
        width,
        canvas.height,
      );
    return new Promise((done) => canvas.toBlob(done, 'image/jpeg', 0.82));
  }
}
