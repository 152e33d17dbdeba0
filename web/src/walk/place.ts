/** A release as a game would show it: its files loaded, drawn at their levels, walked on and shot at. */
import * as THREE from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import type { Eye, Land, Obstacle } from '../view/walker.svelte';
import { Batch } from './batches';
import { Bodies } from './bodies';
import { wanted, type Files, type Manifest, type Tile } from './files';
import { load, type Loaded, type Thing } from './loaded';
import { wind } from './wind';

const SKY = 0xc9d6dd; // at the horizon
const DAY = 4.4; // of the sun
const LAMPS = 6; // that are lit at once
const SHOT = 120; // metres

/** What is drawn, as the renderer counts it, and what the manifest says that it should be. */
export interface Cost {
  triangles: number;
  told: number;
  calls: number;
  instances: number;
  textures: number;
  textureBytes: number;
  geometryBytes: number;
  milliseconds: number;
}

/** All that has been loaded, counted. */
export interface Held {
  files: number;
  known: number;
  instances: number;
  colliders: number;
  lamps: number;
}

interface Floor {
  bvh: MeshBVH;
  back: THREE.Matrix4; // into the mesh's own coordinates
}

/** A sky from its height over the horizon to the ground below, by which everything is lit. */
function sky(zenith: number, horizon: number, ground: number): THREE.DataTexture {
  const rows = 64;
  const data = new Uint8Array(4 * 4 * rows);
  const [top, rim, low, mixed] = [zenith, horizon, ground, 0].map((c) => new THREE.Color(c)) as [
    THREE.Color,
    THREE.Color,
    THREE.Color,
    THREE.Color,
  ];
  for (let r = 0; r < rows; r++) {
    const up = (r + 0.5) / (rows / 2) - 1; // -1 below, 1 above
    if (up > 0) mixed.lerpColors(rim, top, Math.sqrt(up));
    else mixed.lerpColors(rim, low, Math.min(1, -up * 8));
    mixed.convertLinearToSRGB();
    for (let k = 0; k < 4; k++) {
      data.set([255 * mixed.r, 255 * mixed.g, 255 * mixed.b, 255], 4 * (4 * r + k));
    }
  }
  const made = new THREE.DataTexture(data, 4, rows);
  made.colorSpace = THREE.SRGBColorSpace;
  made.mapping = THREE.EquirectangularReflectionMapping;
  made.magFilter = made.minFilter = THREE.LinearFilter;
  made.needsUpdate = true;
  return made;
}

export class Place implements Eye, Land {
  readonly renderer: THREE.WebGLRenderer;
  readonly scene = new THREE.Scene();
  readonly camera = new THREE.PerspectiveCamera(50, 1, 0.1, 4000);
  readonly controls = { enabled: false, target: new THREE.Vector3(0, 1.7, -1) };
  /** After each picture at rest. */
  onDrawn: (cost: Cost) => void = () => {};
  onHeld: (held: Held) => void = () => {};
  /** Metres within which tiles are there. */
  reach = 160;
  private readonly batches = new Map<string, Batch>();
  private readonly bodies = new Bodies();
  private readonly floors = new Map<string, Floor[]>();
  private readonly lampsOf = new Map<string, Loaded['lamps']>();
  private readonly standing = new Map<string, number>(); // instances by file
  private readonly there = new Set<string>();
  private readonly coming = new Set<string>();
  private readonly lit = Array.from({ length: LAMPS }, () => {
    const light = new THREE.PointLight(0xffffff, 0, 1);
    light.visible = false; // by day
    return light;
  });
  private readonly sun = new THREE.DirectionalLight(0xfff1dc, DAY);
  private readonly ambient = new THREE.HemisphereLight(0xdfeaf2, 0x9a9470, 0.5);
  private readonly day = sky(0x6f9cc4, SKY, 0x8c8a68);
  private readonly dusk = sky(0x05070b, 0x10171f, 0x08090a);
  private readonly solid = new THREE.MeshBasicMaterial({ color: 0xd9764f, wireframe: true });
  private shownBodies: THREE.Group | null = null;
  private anew = true; // since shadows were drawn
  private asked = 0;
  private rest: ReturnType<typeof setTimeout> | undefined;
  private blowing = false;
  private last = 0;
  private closed = false;
  private failure: (error: unknown) => void = () => {};

  constructor(
    private readonly host: HTMLElement,
    private readonly files: Files,
    private readonly manifest: Manifest,
  ) {
    THREE.Cache.enabled = true; // tiles name the same images
    this.renderer = new THREE.WebGLRenderer({ antialias: true, preserveDrawingBuffer: true });
    const { renderer, scene, sun } = this;
    renderer.toneMapping = THREE.AgXToneMapping;
    renderer.toneMappingExposure = 1.15;
    renderer.shadowMap.enabled = true;
    renderer.shadowMap.autoUpdate = false;
    renderer.domElement.tabIndex = 0;
    host.append(renderer.domElement);
    scene.background = scene.environment = this.day;
    scene.environmentIntensity = 0.6;
    scene.fog = new THREE.Fog(SKY, 120, 900);
    sun.castShadow = true;
    sun.shadow.mapSize.set(2048, 2048);
    Object.assign(sun.shadow.camera, { left: -60, right: 60, top: 60, bottom: -60, near: 1, far: 400 });
    sun.shadow.normalBias = 0.05;
    scene.add(sun, sun.target, this.ambient, ...this.lit);
    new ResizeObserver(() => this.resize()).observe(host);
    this.resize();
  }

  get canvas() {
    return this.renderer.domElement;
  }

  private resize() {
    const [w, h] = [Math.max(2, this.host.clientWidth), Math.max(2, this.host.clientHeight)];
    this.renderer.setSize(w, h);
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
    this.again();
  }

  /** Load what is to be there where the eye is; of a scene in one file all, of tiles those about it. */
  async open(say: (share: number) => void, failed: (error: unknown) => void) {
    this.failure = failed;
    if (this.manifest.tiles) {
      // where one stands first; one walks while the others come
      const { x, z } = this.camera.position;
      const [here] = wanted(this.manifest.tiles.list, this.there, x, z, this.reach);
      if (here) await this.bring(here.path, 'tiles/', say);
      void this.tiles().catch(failed);
    } else await this.bring('scene.glb', '', say);
    this.again();
  }

  private async bring(path: string, from: string, say?: (share: number) => void) {
    if (this.there.has(path) || this.coming.has(path)) return;
    this.coming.add(path);
    try {
      const found = await load(await this.files.bytes(path, say), this.files.base + from);
      if (this.closed) return;
      this.take(path, found);
      this.there.add(path);
    } finally {
      this.coming.delete(path);
    }
    this.tell();
  }

  private take(path: string, found: Loaded) {
    let standing = 0;
    for (const thing of found.things) {
      const key = thing.asset
        ? `${thing.layer} ${thing.asset} ${thing.variant} ${thing.mirrored}`
        : `${path} ${thing.name} ${thing.layer} ${this.batches.size}`;
      if (thing.asset) standing += thing.places.length / 16;
      let batch = this.batches.get(key);
      if (!batch) {
        batch = new Batch(thing, this.switchesOf(thing));
        this.batches.set(key, batch);
        this.scene.add(batch.group);
      }
      batch.put(path, thing.places);
    }
    this.standing.set(path, standing);
    this.bodies.add(path, found.bodies);
    this.lampsOf.set(path, found.lamps);
    this.floors.set(
      path,
      found.ground.map((mesh) => ({ bvh: new MeshBVH(mesh.geometry), back: mesh.matrixWorld.clone().invert() })),
    );
  }

  private switchesOf({ asset, variant, mirrored }: Thing): number[] | null {
    const found = this.manifest.assets.find(
      (a) => a.asset === asset && a.seed === variant && Boolean(a.mirrored) === mirrored,
    );
    return found?.switch_distances ?? null;
  }

  private leave(path: string) {
    for (const [key, batch] of this.batches)
      if (batch.drop(path)) {
        batch.dispose();
        this.scene.remove(batch.group);
        for (const { geometry } of batch.levels.flat()) geometry.dispose();
        this.batches.delete(key);
      }
    this.bodies.drop(path);
    for (const map of [this.floors, this.lampsOf, this.standing]) map.delete(path);
    this.there.delete(path);
    this.tell();
  }

  /** Bring the tiles about the eye, and let go of those far behind. */
  private async tiles() {
    const all = this.manifest.tiles?.list ?? [];
    const { x, z } = this.camera.position;
    const near = wanted(all, this.there, x, z, this.reach);
    const names = new Set(near.map((t) => t.path));
    for (const path of [...this.there]) if (!names.has(path)) this.leave(path);
    let more = false;
    for (const tile of near) {
      more ||= !this.there.has(tile.path);
      await this.bring(tile.path, 'tiles/');
    }
    if (more) this.again();
  }

  private tell() {
    const sum = (values: Iterable<number>) => [...values].reduce((a, b) => a + b, 0);
    this.onHeld({
      files: this.there.size,
      known: this.manifest.tiles?.list.length ?? 1,
      instances: sum(this.standing.values()),
      colliders: this.bodies.count,
      lamps: sum([...this.lampsOf.values()].map((l) => l.length)),
    });
  }

  /** Where what is loaded is not what the manifest says, in words. */
  differs(held: Held): string[] {
    const { counts, tiles } = this.manifest;
    const whole = held.files === held.known;
    const expected = tiles
      ? tiles.list.filter((t: Tile) => this.there.has(t.path)).reduce((a, t) => a + t.instances, 0)
      : counts.instances;
    const rows: [string, number, number][] = [['instances', held.instances, expected]];
    if (whole) rows.push(['colliders', held.colliders, counts.colliders], ['lamps', held.lamps, counts.lamps]);
    return rows.filter(([, a, b]) => a !== b).map(([what, a, b]) => `${what}: ${a} loaded, ${b} in the manifest`);
  }

  // -- what one walks on ---------------------------------------------------------------

  height(x: number, z: number): number {
    const ray = new THREE.Ray();
    let best = -Infinity;
    for (const floors of this.floors.values())
      for (const { bvh, back } of floors) {
        ray.origin.set(x, 5000, z);
        ray.direction.set(0, -1, 0);
        ray.applyMatrix4(back);
        const hit = bvh.raycastFirst(ray, THREE.DoubleSide);
        if (hit) best = Math.max(best, 5000 - hit.distance);
      }
    return Number.isFinite(best) ? best : 0;
  }

  stops(x: number, z: number, reach: number): Obstacle[] {
    return this.bodies.stops(x, z, reach, this.height(x, z));
  }

  /** What a shot along the view meets first, and how far away. */
  shoot(): string {
    const ray = new THREE.Ray(
      this.camera.position.clone(),
      this.camera.getWorldDirection(new THREE.Vector3()).normalize(),
    );
    const own = new THREE.Ray();
    let ground = SHOT;
    for (const floors of this.floors.values())
      for (const { bvh, back } of floors) {
        own.copy(ray).applyMatrix4(back);
        ground = Math.min(ground, bvh.raycastFirst(own, THREE.DoubleSide)?.distance ?? SHOT);
      }
    const hit = this.bodies.shot(ray, ground);
    if (hit) return `stopped by ${hit.name} at ${hit.away.toFixed(1)} m`;
    return ground < SHOT ? `into the ground at ${ground.toFixed(1)} m` : 'stopped by nothing';
  }

  look(eye: THREE.Vector3Like, target: THREE.Vector3Like) {
    this.camera.position.set(eye.x, eye.y, eye.z);
    this.controls.target.set(target.x, target.y, target.z);
    this.camera.lookAt(this.controls.target);
    this.camera.updateMatrixWorld();
  }

  move() {
    this.ask();
    clearTimeout(this.rest);
    this.rest = setTimeout(() => {
      this.again();
      if (this.manifest.tiles) this.tiles().catch(this.failure);
    }, 180);
  }

  // -- what is seen --------------------------------------------------------------------

  /** Draw anew with levels chosen anew. */
  again() {
    this.anew = true;
    this.rest = undefined;
    this.ask();
  }

  blow(on: boolean) {
    this.blowing = on;
    wind.force.value.set(on ? 5 : 0, on ? 2 : 0);
    this.ask();
  }

  night(on: boolean) {
    this.scene.background = this.scene.environment = on ? this.dusk : this.day;
    (this.scene.fog as THREE.Fog).color.set(on ? 0x10171f : SKY);
    this.sun.intensity = on ? 0.12 : DAY;
    this.ambient.intensity = on ? 0.1 : 0.5;
    this.lit.forEach((l) => (l.visible = on));
    this.again();
  }

  showBodies(on: boolean) {
    this.shownBodies?.removeFromParent();
    this.shownBodies = on ? this.bodies.group(this.solid, this.camera.position, 60) : null;
    if (this.shownBodies) this.scene.add(this.shownBodies);
    this.again();
  }

  private ask() {
    if (!this.asked && !this.closed) this.asked = requestAnimationFrame((now) => this.draw(now));
  }

  private draw(now: number) {
    this.asked = 0;
    const { camera, renderer, scene, sun } = this;
    if (this.blowing) wind.time.value += Math.min(0.1, (now - this.last) / 1000);
    this.last = now;
    // while it blows, one picture follows another
    const resting = this.rest === undefined && !this.blowing;
    const view = new THREE.Frustum();
    view.setFromProjectionMatrix(
      new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse),
    );
    for (const batch of this.batches.values()) batch.fill(camera.position, view);
    if (this.anew || resting) {
      sun.target.position.copy(camera.position);
      sun.position.copy(camera.position).add(new THREE.Vector3(90, 110, 60));
      sun.target.updateMatrixWorld();
      renderer.shadowMap.needsUpdate = true;
      this.anew = false;
    }
    this.light();
    renderer.setPixelRatio(this.rest === undefined ? Math.min(devicePixelRatio, 2) : 0.5);
    renderer.render(scene, camera);
    if (resting) {
      // once more without the shadows, which would be counted, too
      const began = performance.now();
      renderer.render(scene, camera);
      const pixel = new Uint8Array(4);
      const gl = renderer.getContext();
      gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel);
      this.onDrawn(this.cost(performance.now() - began));
    }
    if (this.blowing && !document.hidden) this.ask();
  }

  /** Light the lamps that are nearest. */
  private light() {
    const all = [...this.lampsOf.values()].flat();
    const { position } = this.camera;
    all.sort((a, b) => a.at.distanceToSquared(position) - b.at.distanceToSquared(position));
    this.lit.forEach((light, k) => {
      const lamp = all[k];
      light.intensity = lamp?.candela ?? 0;
      if (!lamp) return;
      light.position.copy(lamp.at);
      light.color.copy(lamp.color);
      light.distance = lamp.reach;
    });
  }

  private cost(milliseconds: number): Cost {
    const { info } = this.renderer;
    const textures = new Set<THREE.Texture>();
    let [geometryBytes, instances, told] = [0, 0, 0];
    for (const batch of this.batches.values()) {
      if (!batch.count) continue;
      instances += batch.count;
      batch.shown.forEach((many, level) => {
        told += many * (batch.triangles[level] ?? 0);
        if (!many) return;
        for (const { geometry, material } of batch.levels[level] ?? []) {
          for (const value of Object.values(material)) if (value instanceof THREE.Texture) textures.add(value);
          const arrays = [...Object.values(geometry.attributes), ...(geometry.index ? [geometry.index] : [])];
          for (const a of arrays) geometryBytes += (a as THREE.BufferAttribute).array.byteLength;
        }
      });
    }
    const size = (t: THREE.Texture) => {
      const image = t.image as { width?: number; height?: number } | null;
      return ((image?.width ?? 0) * (image?.height ?? 0) * 4 * 4) / 3;
    };
    return {
      triangles: info.render.triangles,
      told,
      calls: info.render.calls,
      instances,
      textures: textures.size,
      textureBytes: [...textures].reduce((sum, t) => sum + size(t), 0),
      geometryBytes,
      milliseconds,
    };
  }

  dispose() {
    this.closed = true;
    cancelAnimationFrame(this.asked);
    clearTimeout(this.rest);
    for (const batch of this.batches.values()) batch.dispose();
    this.day.dispose();
    this.dusk.dispose();
    this.renderer.dispose();
    this.canvas.remove();
  }
}
