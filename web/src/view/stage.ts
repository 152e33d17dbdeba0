/** A scene before the renderer, drawn on demand: coarse while the camera moves, developing like a plate when it rests. */
import * as THREE from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';
import { Atmosphere } from './atmosphere';
import { frame } from './chunks';
import { Lamps } from './lamps';
import { sobol } from './light/sampling';
import type { Rgb } from './light/scattering';
import { sceneBytes } from './memory';
import { sharpen, whenTextureLoaded, wind } from './materials';
import { PathMap } from './paths';
import { PINHOLE, Plate, type Lens, type Picture } from './plate';
import { quality } from './quality';
import type { Weather } from './light/sky';
import { theRenderer } from './renderer';
import type { Spot } from './tools/tool';

const REST_AFTER = 160; // milliseconds without movement
const FAST = 22; // milliseconds a full frame may take to be drawn while moving, too
const BREEZE = 0.14; // of each picture while leaves move: what went before fades

/** A picture that is asked for: from where, how large, of how many frames. */
export interface Still {
  eye: [number, number, number];
  target: [number, number, number];
  width: number;
  height: number;
  frames: number;
  lens: Lens;
}

const LOWEST = 0.3; // metres of the eye above the ground

export class Stage {
  readonly renderer = theRenderer();
  readonly scene = new THREE.Scene();
  readonly camera = new THREE.PerspectiveCamera(50, 1, 0.1, 6000);
  readonly controls: OrbitControls;
  readonly atmosphere: Atmosphere;
  /** Lamps that shine when it is dark. */
  readonly lamps = new Lamps(this.scene);
  /** Where the ground is worn. */
  readonly paths = new PathMap();
  /** Before each picture; `moving` asks for coarse content. */
  onPrepare: (moving: boolean) => void = () => {};
  /** After each picture. */
  onDrawn: (moving: boolean) => void = () => {};
  /** Where the shadows are wanted: middle and reach in metres. */
  shadowAt: () => [THREE.Vector3, number] = () => [this.controls.target, 60];
  /** The height of the ground. */
  floor: (x: number, z: number) => number = () => -Infinity;
  fast = false;
  animateWind = true;
  /** More is to come: until it is there, pictures are coarse, and few. */
  coming = false;
  /** There is nothing to be seen yet, so nothing is drawn. */
  empty = false;
  /** What the view is seen through. */
  lens: Lens = PINHOLE;
  /** Colours are data: shown as they are, neither exposed nor toned. */
  plain = false;
  private readonly caster = new THREE.Raycaster();
  private readonly waiting: (() => void)[] = []; // for a picture
  private readonly spinning = new Set<object>();
  private timer = 0;
  private asked = 0;
  private busy = false;
  private posing: Still | null = null; // at a shape of its own
  private moving = false;
  private changed = true; // since the plate was begun
  private blown = false;
  private lastTime = 0;
  private readonly sizes: ResizeObserver;
  private unwatch = () => {};

  /** @param land the albedo of what lies beyond the scene */
  constructor(
    private readonly host: HTMLElement,
    weather?: Weather,
    land?: Rgb,
  ) {
    this.atmosphere = new Atmosphere(this.scene, weather, land);
    this.controls = new OrbitControls(this.camera);
    this.controls.zoomToCursor = true;
    this.controls.screenSpacePanning = false;
    this.controls.maxPolarAngle = Math.PI * 0.55;
    this.controls.minDistance = 0.5;
    this.controls.maxDistance = 3000;
    this.controls.addEventListener('change', () => {
      this.stayAbove();
      this.move();
    });
    this.sizes = new ResizeObserver(() => this.resize());
    this.sizes.observe(host);
    this.take();
  }

  /** Bring the renderer before this stage; what another has drawn is not shown. */
  take() {
    this.canvas.style.visibility = 'hidden';
    this.host.append(this.canvas);
    this.controls.connect(this.canvas);
    this.unwatch = whenTextureLoaded(() => this.coming || this.refresh());
    this.resize();
    this.move();
  }

  /** Let another stage have the renderer; what is here stays. */
  leave() {
    clearTimeout(this.timer);
    this.moving = false;
    this.controls.disconnect();
    this.unwatch();
  }

  dispose() {
    this.sizes.disconnect();
    clearTimeout(this.timer);
    cancelAnimationFrame(this.asked);
    this.unwatch();
    this.controls.dispose();
    this.atmosphere.dispose();
    this.lamps.dispose();
    this.paths.dispose();
    for (const done of this.waiting.splice(0)) done();
    if (this.drawing) this.canvas.remove();
  }

  /** Whether the renderer is before this stage and not before another. */
  get drawing() {
    return this.canvas.parentElement === this.host;
  }

  get canvas() {
    return this.renderer.canvas;
  }

  get width() {
    return this.host.clientWidth;
  }

  get height() {
    return this.host.clientHeight;
  }

  /** About how many bytes of the graphics card's memory the view takes. */
  get bytes() {
    return sceneBytes(this.scene) + this.renderer.bytes;
  }

  /** Pixels of the picture from top to bottom. */
  get pixelsTall(): number {
    return this.posing?.height ?? this.canvas.height;
  }

  /** Pixels of the view itself, whatever picture is being taken. */
  get viewTall(): number {
    return this.canvas.height;
  }

  private resize() {
    if (this.posing || !this.drawing) return; // afterwards
    const w = Math.max(2, this.width);
    const h = Math.max(2, this.height);
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
    this.renderer.setSize(w, h);
    this.refresh();
  }

  /** Pixels that a metre is long at what the camera looks at. */
  get metre() {
    const { camera, controls, height } = this;
    const away = camera.position.distanceTo(controls.target);
    return Math.max(1, height) / (2 * away * Math.tan(THREE.MathUtils.degToRad(camera.fov / 2)));
  }

  look(eye: THREE.Vector3Like, target: THREE.Vector3Like) {
    this.camera.position.set(eye.x, eye.y, eye.z);
    this.controls.target.set(target.x, target.y, target.z);
    this.controls.update();
    this.refresh();
  }

  /** Turn the camera about what it looks at, by radians to the right and up. */
  turn(right: number, up: number) {
    const { camera, controls } = this;
    const away = new THREE.Spherical().setFromVector3(camera.position.clone().sub(controls.target));
    away.theta -= right;
    away.phi = THREE.MathUtils.clamp(away.phi - up, 0.02, controls.maxPolarAngle);
    camera.position.setFromSpherical(away).add(controls.target);
    controls.update();
    this.move();
  }

  /** Walk with the camera over the ground, by parts of its distance to the right and ahead. */
  walk(right: number, ahead: number) {
    const { camera, controls } = this;
    const across = new THREE.Vector3().setFromMatrixColumn(camera.matrixWorld, 0).setY(0).normalize();
    const step = across.clone().multiplyScalar(right);
    step.addScaledVector(new THREE.Vector3(across.z, 0, -across.x), ahead);
    step.multiplyScalar(camera.position.distanceTo(controls.target));
    camera.position.add(step);
    controls.target.add(step);
    controls.update();
    this.move();
  }

  /** Come nearer to what the camera looks at (`factor` below 1) or go away from it. */
  zoom(factor: number) {
    const { camera, controls } = this;
    const away = camera.position.clone().sub(controls.target);
    away.setLength(THREE.MathUtils.clamp(away.length() * factor, controls.minDistance, controls.maxDistance));
    camera.position.copy(controls.target).add(away);
    controls.update();
    this.move();
  }

  /** The camera moves: coarse pictures until it rests. */
  /** Looking at something above the ground, the eye does not dive below it. */
  private stayAbove() {
    const { camera, controls, floor } = this;
    const { target } = controls;
    const least = floor(camera.position.x, camera.position.z) + LOWEST;
    if (camera.position.y >= least || target.y < floor(target.x, target.z) - LOWEST) return;
    camera.position.y = least;
    camera.lookAt(target);
  }

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
    this.blown = true;
    this.ask();
  }

  /** Whether a thing of the view turns by itself while time passes. */
  spins(thing: object, turns: boolean) {
    if (turns) this.spinning.add(thing);
    else this.spinning.delete(thing);
  }

  /** Whether anything moves by itself: leaves in the wind, what spins. */
  get stirs(): boolean {
    return wind.windForce.value.lengthSq() > 0.01 || this.spinning.size > 0;
  }

  /** Something has changed: the plate is begun anew as soon as the camera rests. */
  refresh() {
    this.changed = true;
    if (!this.moving) this.ask();
  }

  /** How far the picture at rest is developed, from 0 to 1. */
  get developed(): number {
    return this.moving || this.coming || this.changed ? 0 : Math.min(1, this.renderer.plate.frames / quality.frames);
  }

  private get coarse(): boolean {
    return (this.moving || this.coming) && !this.fast;
  }

  private ask() {
    if (!this.asked && !this.busy) this.asked = requestAnimationFrame((now) => void this.draw(now));
  }

  private async draw(now: number) {
    this.asked = 0;
    if (!this.drawing || this.busy || this.empty) return;
    this.busy = true;
    const coarse = this.coarse;
    const windy = this.fast && this.animateWind && this.stirs;
    const breeze = windy || this.blown;
    this.blown = false;
    if (windy) wind.windTime.value += Math.min(0.1, (now - this.lastTime) / 1000);
    this.lastTime = now;
    let cost = 0;
    try {
      if (coarse) this.sketch();
      else this.develop(breeze);
      cost = await this.renderer.finished();
    } finally {
      this.busy = false;
    }
    if (!this.drawing) return;
    this.canvas.style.visibility = '';
    if (!coarse) this.fast = cost < (this.fast ? FAST * 1.6 : FAST);
    if (this.fast) sharpen();
    this.onDrawn(coarse);
    for (const done of this.waiting.splice(0)) done();
    const unfinished = coarse ? this.moving : this.changed || this.developed < 1;
    if (windy || unfinished || coarse !== this.coarse) this.ask();
  }

  /** Until the next picture is there. */
  drawn(): Promise<void> {
    return new Promise((done) => this.waiting.push(done));
  }

  /** Go on with the picture at rest, of which more frames are wanted now. */
  goOn() {
    this.ask();
  }

  /** Do something with what is on the graphics card, between two pictures. */
  async between<T>(work: () => Promise<T>): Promise<T> {
    while (this.busy) await new Promise((done) => setTimeout(done, 5));
    this.busy = true;
    try {
      return await work();
    } finally {
      this.busy = false;
      if (this.drawing && (this.changed || this.moving || this.developed < 1)) this.ask();
    }
  }

  /** A picture of its own size, by default as PNG; meanwhile the view stands still. `say` is told how far it is, from 0 to 1. */
  async still(order: Still, say: (done: number) => void, signal: AbortSignal, type?: Picture): Promise<Blob> {
    const { camera, controls, renderer } = this;
    while (this.busy) await new Promise((done) => setTimeout(done, 20));
    [this.busy, this.posing] = [true, order];
    const [eye, target] = [camera.position.clone(), controls.target.clone()];
    const plate = new Plate(renderer.gl);
    try {
      camera.aspect = order.width / order.height;
      camera.updateProjectionMatrix();
      camera.position.fromArray(order.eye);
      controls.target.fromArray(order.target);
      camera.lookAt(controls.target);
      camera.updateMatrixWorld();
      this.atmosphere.aim(...this.shadowAt());
      const size = new THREE.Vector2(order.width, order.height);
      for (let k = 0; k < order.frames; k++) {
        signal.throwIfAborted();
        if (!this.drawing) throw new DOMException('the view has been left', 'AbortError');
        frame.frameSeed.value.set(...sobol(k));
        this.light(k, true, order.lens);
        if (!k) this.onPrepare(false);
        plate.expose(this.scene, camera, size, order.lens);
        await renderer.finished();
        say((k + 1) / order.frames);
      }
      return await plate.picture(this.exposure(order.lens), type);
    } finally {
      plate.dispose();
      camera.position.copy(eye);
      controls.target.copy(target);
      camera.lookAt(target);
      [this.busy, this.posing] = [false, null];
      if (this.drawing) this.resize();
    }
  }

  /** What a picture is exposed by; null leaves its colours as they are. */
  private exposure(lens: Lens): number | null {
    return this.plain ? null : this.atmosphere.exposure * 2 ** lens.exposure;
  }

  /** Light the `k`th frame of a plate. */
  private light(k: number, shadows: boolean, lens = this.lens) {
    this.atmosphere.light(k, shadows);
    this.lamps.light(k, this.camera, this.atmosphere.lamps, this.exposure(lens) ?? 1);
  }

  private sketch() {
    this.changed = true;
    frame.frameSeed.value.set(0, 0);
    this.onPrepare(true);
    this.light(0, false);
    this.renderer.sketch(this.scene, this.camera, this.exposure(this.lens));
  }

  private develop(windy: boolean) {
    const { plate } = this.renderer;
    const begin = this.changed || this.moving;
    this.changed = false;
    if (begin) plate.restart();
    if (begin) this.atmosphere.aim(...this.shadowAt());
    const k = plate.frames;
    frame.frameSeed.value.set(...sobol(k));
    this.light(k, true);
    if (begin || windy) this.onPrepare(false);
    this.renderer.develop(this.scene, this.camera, this.exposure(this.lens), this.lens, windy ? BREEZE : 0);
  }

  /** The ray from the eye through a spot of the view. */
  ray(spot: Spot): THREE.Ray {
    const at = new THREE.Vector2((spot.x / this.width) * 2 - 1, 1 - (spot.y / this.height) * 2);
    this.caster.setFromCamera(at, this.camera);
    return this.caster.ray;
  }

  /** A point in pixels of the view; null behind the camera. */
  project(point: THREE.Vector3Like): Spot | null {
    const p = new THREE.Vector3().copy(point).project(this.camera);
    if (p.z > 1) return null;
    return { x: (p.x * 0.5 + 0.5) * this.width, y: (0.5 - p.y * 0.5) * this.height };
  }

  /** A JPEG of the view, `width` pixels wide. */
  async picture(width: number): Promise<Blob | null> {
    if (!this.drawing) return null;
    const canvas = document.createElement('canvas');
    canvas.width = width;
    canvas.height = Math.round(width * 0.56);
    const source = this.canvas;
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
