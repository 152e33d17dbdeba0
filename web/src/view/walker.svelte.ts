/** Walking at eye level: on the ground, as fast as one walks, and stopped by what stands in the way. */
import * as THREE from 'three';

export const EYE = 1.7; // metres
const [PACE, RUN] = [1.4, 4.2]; // metres a second
const LOW = 6; // metres above the ground: from higher up one comes down at what one looks at
const TURNING = 1.6; // radians a second
const BODY = 0.25; // metres about the middle of who walks
const STRIDE = 0.08; // metres between which it is looked for what is in the way
const AHEAD = 1.5; // metres before the eye that the camera is told to look at
const LOOK = 0.004; // radians a pixel
const STEEPEST = 1.3; // radians, up and down

/** Something in the way, seen from above: a convex outline, or less, and what is about it. */
export interface Obstacle {
  name: string;
  ring: [x: number, z: number][];
  round: number;
}

/** What one sees through while walking. */
export interface Eye {
  camera: THREE.PerspectiveCamera;
  controls: { enabled: boolean; target: THREE.Vector3 };
  canvas: HTMLCanvasElement;
  look(eye: THREE.Vector3Like, target: THREE.Vector3Like): void;
  move(): void;
}

export interface Land {
  height(x: number, z: number): number;
  /** What is in the way near a place. */
  stops(x: number, z: number, reach: number): Obstacle[];
}

/** How far a place is from an outline, less than 0 within, and the way out of it. */
export function outOf(ring: Obstacle['ring'], x: number, z: number): [distance: number, nx: number, nz: number] {
  let best = Infinity;
  let [bx, bz] = [0, 0];
  let turns = 0; // sides that the place lies to the left of, less those to the right
  const n = ring.length;
  for (let k = 0; k < n; k++) {
    const [a, b] = [ring[k] as [number, number], ring[(k + 1) % n] as [number, number]];
    const [dx, dz] = [b[0] - a[0], b[1] - a[1]];
    const long = dx * dx + dz * dz;
    const t = long ? Math.min(1, Math.max(0, ((x - a[0]) * dx + (z - a[1]) * dz) / long)) : 0;
    const [px, pz] = [x - a[0] - t * dx, z - a[1] - t * dz];
    const away = Math.hypot(px, pz);
    turns += Math.sign(dx * (z - a[1]) - dz * (x - a[0]));
    if (away < best) [best, bx, bz] = [away, px, pz];
  }
  const within = n > 2 && Math.abs(turns) === n;
  const long = Math.hypot(bx, bz) || 1;
  return within ? [-best, -bx / long, -bz / long] : [best, bx / long, bz / long];
}

/** Where one comes to who goes from a place to another, and what stops or turns them. */
export function walked(
  from: [number, number],
  to: [number, number],
  among: Obstacle[],
): { at: [number, number]; by: string } {
  let [x, z] = from;
  let by = '';
  const long = Math.hypot(to[0] - x, to[1] - z);
  const steps = Math.max(1, Math.ceil(long / STRIDE));
  const [sx, sz] = [(to[0] - x) / steps, (to[1] - z) / steps];
  for (let k = 0; k < steps; k++) {
    [x, z] = [x + sx, z + sz];
    // out of what is in the way, one after the other, till nothing is
    for (let round = 0; round < 4; round++) {
      let met = false;
      for (const o of among) {
        const [away, nx, nz] = outOf(o.ring, x, z);
        const deep = BODY + o.round - away;
        if (deep <= 1e-6) continue;
        [x, z] = [x + nx * deep, z + nz * deep];
        [met, by] = [true, o.name];
      }
      if (!met) break;
    }
  }
  return { at: [x, z], by };
}

const WAYS: Record<string, [ahead: number, right: number, turn: number]> = {
  ArrowUp: [1, 0, 0],
  ArrowDown: [-1, 0, 0],
  ArrowLeft: [0, 0, -1],
  ArrowRight: [0, 0, 1],
  PageUp: [0, -1, 0],
  PageDown: [0, 1, 0],
};

export class Walker {
  on = $state(false);
  /** What is in the way. */
  by = $state('');
  private yaw = 0; // radians clockwise from north
  private pitch = 0;
  private readonly held = new Set<string>();
  private fast = false;
  private last = 0;
  private listeners = new AbortController();

  constructor(
    private readonly stage: Eye,
    private readonly land: Land,
  ) {}

  /** Begin where the view is, or from high up at what it looks at. */
  begin() {
    if (this.on) return;
    const { camera, controls, canvas } = this.stage;
    const way = new THREE.Vector3().subVectors(controls.target, camera.position);
    const { x, y, z } = camera.position;
    const from = y - this.land.height(x, z) < LOW ? camera.position : controls.target;
    this.yaw = Math.atan2(way.x, -way.z);
    this.pitch = 0;
    this.on = true;
    this.by = '';
    controls.enabled = false;
    this.listeners = new AbortController();
    const { signal } = this.listeners;
    addEventListener('keydown', (e) => this.key(e, true), { signal, capture: true });
    addEventListener('keyup', (e) => this.key(e, false), { signal, capture: true });
    addEventListener('blur', () => this.held.clear(), { signal });
    canvas.addEventListener('pointermove', (e) => e.buttons && this.look(e.movementX, e.movementY), { signal });
    canvas.focus();
    const here: [number, number] = [from.x, from.z];
    const { at } = walked(here, here, this.land.stops(...here, 6));
    this.stand(at);
  }

  end() {
    if (!this.on) return;
    this.on = false;
    this.held.clear();
    this.listeners.abort();
    this.stage.controls.enabled = true;
  }

  private key(event: KeyboardEvent, down: boolean) {
    const typing = (event.target as Element).closest?.('input, textarea, [contenteditable], dialog');
    this.fast = event.shiftKey;
    if (!(event.key in WAYS) || typing || event.ctrlKey || event.altKey || event.metaKey) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    // what is held counts up to now, however long a frame takes
    if (this.held.size) this.go();
    else if (down) requestAnimationFrame(this.walk);
    this.last = performance.now();
    if (down) this.held.add(event.key);
    else this.held.delete(event.key);
  }

  private readonly walk = () => {
    if (!this.on || !this.held.size) return;
    this.go();
    requestAnimationFrame(this.walk);
  };

  /** Go on since the last time as the keys say. */
  private go() {
    const now = performance.now();
    const seconds = Math.min(1, (now - this.last) / 1000);
    this.last = now;
    let [ahead, right, turn] = [0, 0, 0];
    for (const key of this.held) {
      const [a, r, t] = WAYS[key] ?? [0, 0, 0];
      [ahead, right, turn] = [ahead + a, right + r, turn + t];
    }
    this.yaw += turn * TURNING * seconds;
    const pace = (this.fast ? RUN : PACE) * seconds;
    const [s, c] = [Math.sin(this.yaw), Math.cos(this.yaw)];
    const { x, z } = this.stage.camera.position;
    const to: [number, number] = [x + pace * (ahead * s + right * c), z + pace * (right * s - ahead * c)];
    const { at, by } = walked([x, z], to, this.land.stops(x, z, 6));
    this.by = by;
    this.stand(at);
  }

  private look(right: number, down: number) {
    this.yaw += right * LOOK;
    this.pitch = THREE.MathUtils.clamp(this.pitch - down * LOOK, -STEEPEST, STEEPEST);
    const { x, z } = this.stage.camera.position;
    this.stand([x, z]);
  }

  private stand([x, z]: [number, number]) {
    const y = this.land.height(x, z) + EYE;
    const level = Math.cos(this.pitch) * AHEAD;
    const target = {
      x: x + Math.sin(this.yaw) * level,
      y: y + Math.sin(this.pitch) * AHEAD,
      z: z - Math.cos(this.yaw) * level,
    };
    this.stage.look({ x, y, z }, target);
    this.stage.move();
  }
}
