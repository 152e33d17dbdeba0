/** The one renderer of the application: it lives as long as the page, and draws whichever stage is before it. */
import * as THREE from 'three';
import { changePrograms } from './chunks';
import { numberAt } from './numbers';
import { Plate, type Lens } from './plate';

export class Renderer {
  readonly gl: THREE.WebGLRenderer;
  /** The picture that develops at rest, and the quick one while something moves. */
  readonly plate: Plate;
  private readonly quick: Plate;

  constructor() {
    changePrograms();
    this.gl = new THREE.WebGLRenderer({
      antialias: false,
      powerPreference: 'high-performance',
      preserveDrawingBuffer: true,
    });
    const { gl } = this;
    gl.shadowMap.enabled = true;
    gl.shadowMap.type = THREE.PCFShadowMap; // compared by the graphics card
    gl.info.autoReset = false;
    gl.debug.checkShaderErrors = import.meta.env.DEV; // asking waits for each program
    this.canvas.style.display = 'block';
    this.canvas.tabIndex = 0;
    this.plate = new Plate(gl);
    this.quick = new Plate(gl);
  }

  get canvas(): HTMLCanvasElement {
    return this.gl.domElement;
  }

  /** Bytes on the graphics card that pictures take, whatever they show. */
  get bytes(): number {
    return this.plate.bytes + this.quick.bytes;
  }

  private get pixels(): THREE.Vector2 {
    return this.gl.getDrawingBufferSize(new THREE.Vector2());
  }

  setSize(width: number, height: number) {
    this.gl.setPixelRatio(Math.min(window.devicePixelRatio, 2));
    this.gl.setSize(width, height);
    this.plate.restart();
  }

  /** Ask for the programs of what `scene` holds, in the light of another, and of what casts shadows there. */
  prepare(scene: THREE.Scene, shadows: THREE.Scene, camera: THREE.Camera, light: THREE.Scene) {
    this.gl.setRenderTarget(this.quick.target);
    this.gl.compile(scene, camera, light);
    const { fog } = light;
    light.fog = null; // as maps of shadows are drawn
    this.gl.compile(shadows, camera, light);
    light.fog = fog;
    this.gl.setRenderTarget(null);
  }

  /** A coarse picture at half the pixels, of this moment alone. */
  sketch(scene: THREE.Scene, camera: THREE.PerspectiveCamera, exposure: number | null) {
    this.gl.info.reset();
    this.quick.restart();
    this.quick.expose(scene, camera, this.pixels.multiplyScalar(0.5));
    this.quick.show(exposure);
  }

  /** One more frame of the picture at rest. */
  develop(scene: THREE.Scene, camera: THREE.PerspectiveCamera, exposure: number | null, lens: Lens, least = 0) {
    this.gl.info.reset();
    this.plate.expose(scene, camera, this.pixels, lens, least);
    this.plate.show(exposure);
  }

  /** See `numberAt` of numbers. */
  numberAt(draws: THREE.Mesh[], camera: THREE.PerspectiveCamera): Promise<number> {
    return numberAt(this.gl, draws, camera);
  }

  /** Milliseconds until what was asked of the graphics card is done; the page goes on meanwhile. */
  async finished(): Promise<number> {
    const began = performance.now();
    const gl = this.gl.getContext() as WebGL2RenderingContext;
    const sync = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
    gl.flush();
    while (sync && gl.clientWaitSync(sync, 0, 0) === gl.TIMEOUT_EXPIRED && !gl.isContextLost())
      await new Promise((done) => setTimeout(done, 3));
    gl.deleteSync(sync);
    return performance.now() - began;
  }
}

let only: Renderer | null = null;

/** Raises where the browser has no WebGL 2. */
export function theRenderer(): Renderer {
  return (only ??= new Renderer());
}
