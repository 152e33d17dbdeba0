/** What is in the way of who walks, and of what flies, by the colliders of a release. */
import * as THREE from 'three';
import type { Obstacle } from '../view/walker.svelte';
import type { Body } from './loaded';

const CELL = 8; // metres
const [KNEE, HEAD] = [0.35, 1.75]; // metres above the ground, between which one is stopped

interface Stands {
  body: Body;
  at: THREE.Matrix4;
  ball: THREE.Sphere;
}

/** The convex outline of points, seen from above (Andrew 1979). */
export function outline(points: [number, number][]): [number, number][] {
  const sorted = points.toSorted((a, b) => a[0] - b[0] || a[1] - b[1]);
  if (sorted.length < 3) return sorted;
  const half = (rows: [number, number][]) => {
    const out: [number, number][] = [];
    for (const p of rows) {
      for (;;) {
        const [a, b] = [out[out.length - 2], out[out.length - 1]];
        if (!a || !b || (b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0]) > 0) break;
        out.pop();
      }
      out.push(p);
    }
    return out.slice(0, -1);
  };
  return [...half(sorted), ...half(sorted.toReversed())];
}

/** What of triangles lies between two heights, seen from above: (x, z) of its corners. */
export function between(corners: THREE.Vector3[], low: number, high: number): [number, number][] {
  const out: [number, number][] = [];
  for (let k = 0; k < corners.length; k += 3)
    for (let e = 0; e < 3; e++) {
      const a = corners[k + e] as THREE.Vector3;
      const b = corners[k + ((e + 1) % 3)] as THREE.Vector3;
      if (a.y >= low && a.y <= high) out.push([a.x, a.z]);
      for (const level of [low, high])
        if (a.y < level !== b.y < level) {
          const t = (level - a.y) / (b.y - a.y);
          out.push([a.x + t * (b.x - a.x), a.z + t * (b.z - a.z)]);
        }
    }
  return out;
}

export class Bodies {
  private readonly cells = new Map<string, Stands[]>();
  private readonly files = new Map<string, Stands[]>();
  /** How many there are. */
  count = 0;

  add(file: string, bodies: Body[]) {
    const own = this.files.get(file) ?? [];
    this.files.set(file, own);
    for (const body of bodies) {
      body.geometry.computeBoundingSphere();
      for (let k = 0; k < body.places.length; k += 16) {
        const at = new THREE.Matrix4().fromArray(body.places, k);
        const ball = (body.geometry.boundingSphere as THREE.Sphere).clone().applyMatrix4(at);
        own.push({ body, at, ball });
      }
    }
    this.index();
  }

  drop(file: string) {
    if (this.files.delete(file)) this.index();
  }

  private index() {
    this.cells.clear();
    this.count = 0;
    for (const stands of this.files.values())
      for (const s of stands) {
        this.count++;
        const { center, radius } = s.ball;
        for (let i = Math.floor((center.x - radius) / CELL); i <= Math.floor((center.x + radius) / CELL); i++)
          for (let k = Math.floor((center.z - radius) / CELL); k <= Math.floor((center.z + radius) / CELL); k++) {
            const name = `${i} ${k}`;
            const there = this.cells.get(name);
            if (there) there.push(s);
            else this.cells.set(name, [s]);
          }
      }
  }

  private near(x: number, z: number, reach: number): Set<Stands> {
    const out = new Set<Stands>();
    for (let i = Math.floor((x - reach) / CELL); i <= Math.floor((x + reach) / CELL); i++)
      for (let k = Math.floor((z - reach) / CELL); k <= Math.floor((z + reach) / CELL); k++)
        for (const s of this.cells.get(`${i} ${k}`) ?? []) out.add(s);
    return out;
  }

  /** What is in the way of who stands at a place, whose ground is `floor` high. */
  stops(x: number, z: number, reach: number, floor: number): Obstacle[] {
    const out: Obstacle[] = [];
    for (const { body, at, ball } of this.near(x, z, reach)) {
      const away = Math.hypot(ball.center.x - x, ball.center.z - z) - ball.radius;
      if (!body.movement || away > reach) continue;
      const ring = outline(between(corners(body.geometry, at), floor + KNEE, floor + HEAD));
      if (ring.length) out.push({ name: body.layer, ring, round: 0 });
    }
    return out;
  }

  /** Those about a place, to be seen. */
  group(material: THREE.Material, from: THREE.Vector3, reach: number): THREE.Group {
    const out = new THREE.Group();
    for (const { body, at, ball } of this.near(from.x, from.z, reach)) {
      if (ball.center.distanceTo(from) > reach) continue;
      const mesh = new THREE.Mesh(body.geometry, material);
      mesh.matrixAutoUpdate = false;
      mesh.matrix.copy(at);
      out.add(mesh);
    }
    return out;
  }

  /** What stops a shot: the nearest body on a ray, and how far away, in metres. */
  shot(ray: THREE.Ray, far: number): { name: string; away: number } | null {
    let best: { name: string; away: number } | null = null;
    const hit = new THREE.Vector3();
    for (const stands of this.files.values())
      for (const { body, at, ball } of stands) {
        if (!body.shots || !ray.intersectsSphere(ball)) continue;
        if (ball.center.distanceTo(ray.origin) - ball.radius > (best?.away ?? far)) continue;
        const all = corners(body.geometry, at);
        for (let k = 0; k < all.length; k += 3) {
          const [a, b, c] = [all[k], all[k + 1], all[k + 2]] as [THREE.Vector3, THREE.Vector3, THREE.Vector3];
          if (!ray.intersectTriangle(a, b, c, false, hit)) continue;
          const away = hit.distanceTo(ray.origin);
          if (away < (best?.away ?? far)) best = { name: body.layer, away };
        }
      }
    return best;
  }
}

/** The corners of a body's triangles where it stands. */
function corners(geometry: THREE.BufferGeometry, at: THREE.Matrix4): THREE.Vector3[] {
  const position = geometry.getAttribute('position');
  const { index } = geometry;
  return Array.from({ length: index?.count ?? position.count }, (_, k) =>
    new THREE.Vector3().fromBufferAttribute(position, index ? index.getX(k) : k).applyMatrix4(at),
  );
}
