/** The one renderer of the application: it lives as long as the page, and draws whichever stage is before it. */
import * as THREE from 'three';
import { EffectComposer } from 'three/examples/jsm/postprocessing/EffectComposer.js';
import { OutputPass } from 'three/examples/jsm/postprocessing/OutputPass.js';
import { RenderPass } from 'three/examples/jsm/postprocessing/RenderPass.js';

/** Tone mapping and colour space, opaque: edges of leaves cover part of a pixel, and the page must not shine through there. */
function outputPass(): OutputPass {
  const pass = new OutputPass();
  pass.material.fragmentShader = pass.material.fragmentShader.replace(/}\s*$/, 'gl_FragColor.a = 1.0;\n}');
  return pass;
}

export class Renderer {
  readonly gl = new THREE.WebGLRenderer({
    antialias: false,
    powerPreference: 'high-performance',
    preserveDrawingBuffer: true,
  });
  private readonly composer: EffectComposer;
  private readonly pass = new RenderPass(new THREE.Scene(), new THREE.PerspectiveCamera());
  private readonly pixel = new Uint8Array(4);

  constructor() {
    const { gl } = this;
    gl.toneMapping = THREE.NeutralToneMapping;
    gl.toneMappingExposure = 1.12;
    gl.shadowMap.enabled = true;
    gl.shadowMap.type = THREE.PCFShadowMap;
    gl.shadowMap.autoUpdate = false;
    gl.info.autoReset = false;
    this.canvas.style.display = 'block';
    this.canvas.tabIndex = 0;
    const target = new THREE.WebGLRenderTarget(4, 4, { samples: 4, type: THREE.HalfFloatType });
    this.composer = new EffectComposer(gl, target);
    this.composer.addPass(this.pass);
    this.composer.addPass(outputPass());
  }

  get canvas(): HTMLCanvasElement {
    return this.gl.domElement;
  }

  setSize(width: number, height: number) {
    this.gl.setSize(width, height);
    this.composer.setSize(width, height);
  }

  /** Draw a picture: coarse at half the pixels, or whole; milliseconds until it is there. */
  draw(scene: THREE.Scene, camera: THREE.Camera, coarse: boolean): number {
    const began = performance.now();
    if (coarse) this.gl.render(scene, camera);
    else {
      this.gl.shadowMap.needsUpdate = true;
      this.pass.scene = scene;
      this.pass.camera = camera;
      this.composer.render();
    }
    const gl = this.gl.getContext();
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, this.pixel); // render() returns at once; this waits for the picture
    return performance.now() - began;
  }

  /** Before a picture: its resolution, and counts from zero. */
  begin(coarse: boolean) {
    const ratio = coarse ? 0.5 : Math.min(window.devicePixelRatio, 2);
    if (this.gl.getPixelRatio() !== ratio) {
      this.gl.setPixelRatio(ratio);
      this.composer.setPixelRatio(ratio);
    }
    this.gl.info.reset();
  }

  /** Hold nothing of a scene that is gone. */
  forget(scene: THREE.Scene) {
    if (this.pass.scene !== scene) return;
    this.pass.scene = new THREE.Scene();
    this.pass.camera = new THREE.PerspectiveCamera();
  }
}

let only: Renderer | null = null;

/** Raises where the browser has no WebGL 2. */
export function theRenderer(): Renderer {
  return (only ??= new Renderer());
}
