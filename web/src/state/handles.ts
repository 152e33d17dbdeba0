/** What of a recipe can be dragged in the view: the stem's guide, the crown's profile, a hedge's line. */
import type { Values } from '../api/client';
import { valueAt, type Knot } from './monotone';

export interface Point {
  x: number;
  y: number;
  z: number;
}

export interface Handle {
  key: string;
  label: string;
  at: Point; // metres; `x` of a crown's knot lies along the camera's right
  level: boolean; // moves on the ground
  sideways: boolean; // `at.x` lies along the camera's right
  path: string;
  moved: (to: Point) => unknown; // the parameter's value when the handle lies at `to`
}

export interface Handles {
  handles: Handle[];
  /** Lines through metres that belong to the handles, drawn with them. */
  lines: { points: Point[]; sideways: boolean }[];
}

const tidy = (v: number, step = 0.01) => Math.round(v / step) * step;
const clamp = (v: number, low: number, high: number) => Math.min(high, Math.max(low, v));

/** A natural cubic spline through points, as the stem follows it: parameters go by the root of the distance. */
function smooth(points: Point[]): Point[] {
  const n = points.length;
  if (n < 3) return points;
  const axes = ['x', 'y', 'z'] as const;
  const gap = points.slice(1).map((b, i) => {
    const a = points[i] as Point;
    return Math.sqrt(Math.hypot(b.x - a.x, b.y - a.y, b.z - a.z)) || 1e-6;
  });
  const h = (i: number) => gap[i] ?? 1;
  // second derivatives along each axis (tridiagonal, zero at the ends)
  const bends = axes.map((axis) => {
    const v = points.map((p) => p[axis]);
    const rise = (i: number) => ((v[i + 1] ?? 0) - (v[i] ?? 0)) / h(i);
    const [c, d]: [number[], number[]] = [[0], [0]];
    for (let i = 1; i < n - 1; i++) {
      const w = 2 * (h(i - 1) + h(i)) - h(i - 1) * (c[i - 1] ?? 0);
      c.push(h(i) / w);
      d.push((6 * (rise(i) - rise(i - 1)) - h(i - 1) * (d[i - 1] ?? 0)) / w);
    }
    const m = new Array<number>(n).fill(0);
    for (let i = n - 2; i > 0; i--) m[i] = (d[i] ?? 0) - (c[i] ?? 0) * (m[i + 1] ?? 0);
    return { v, m };
  });
  const out: Point[] = [];
  for (let i = 0; i < n - 1; i++)
    for (let k = 0; k < 12; k++) {
      const [b, a] = [k / 12, 1 - k / 12];
      const [x = 0, y = 0, z = 0] = bends.map(({ v, m }) => {
        const cubic = ((a ** 3 - a) * (m[i] ?? 0) + (b ** 3 - b) * (m[i + 1] ?? 0)) * (h(i) ** 2 / 6);
        return a * (v[i] ?? 0) + b * (v[i + 1] ?? 0) + cubic;
      });
      out.push({ x, y, z });
    }
  out.push(points[n - 1] as Point);
  return out;
}

/** The handles of the stage that is open. */
export function handlesOf(kind: string, stage: string, p: Values): Handles {
  const none = { handles: [], lines: [] };
  const h = Number(p.height ?? 1);
  if (kind === 'tree' && stage === 'Habit') {
    const guide = (p.guide ?? []) as [number, number, number][];
    if (!guide.length) return none;
    const points = [[0, 0, 0], ...guide].map(([x = 0, y = 0, z = 0]) => ({ x: x * h, y: y * h, z: z * h }));
    return {
      handles: guide.map((_, i) => ({
        key: `guide ${i}`,
        label: `knot ${i + 1} of the guide`,
        at: points[i + 1] as Point,
        level: false,
        sideways: false,
        path: 'guide',
        moved: (to) => {
          const place = [to.x, to.y, to.z].map((v) => tidy(clamp(v / h, -3, 3), 0.001));
          return guide.map((k, j) => (j === i ? place : k));
        },
      })),
      lines: [{ points: smooth(points), sideways: false }],
    };
  }
  if (kind === 'tree' && stage === 'Crown' && p.growth !== 'orders' && !(p.crown_form as unknown[]).length) {
    const knots = (p.crown_profile ?? []) as Knot[];
    const low = Math.min(Number(p.crown_low ?? 0.3), 0.97) * h;
    const half = 0.5 * Number(p.crown_width ?? 0.7) * h;
    const at = (t: number, w: number, side: number) => ({ x: side * w * half, y: low + t * (h - low), z: 0 });
    const ts = Array.from({ length: 33 }, (_, k) => k / 32);
    return {
      handles: knots.map(([t, w], i) => ({
        key: `crown ${i}`,
        label: `knot ${i + 1} of the crown`,
        at: at(t, w, 1),
        level: false,
        sideways: true,
        path: 'crown_profile',
        moved: (to) => {
          const before = i ? (knots[i - 1] as Knot)[0] + 0.01 : 0;
          const after = i < knots.length - 1 ? (knots[i + 1] as Knot)[0] - 0.01 : 1;
          const knot = [tidy(clamp((to.y - low) / (h - low), before, after)), tidy(clamp(to.x / half, 0, 1))];
          return knots.map((k, j) => (j === i ? knot : k));
        },
      })),
      lines: [1, -1].map((side) => ({ points: ts.map((t) => at(t, valueAt(knots, t), side)), sideways: true })),
    };
  }
  if (kind === 'shrub' && stage === 'Body' && p.body === 'hedge') {
    const line = (p.line ?? []) as [number, number][];
    const points = line.map(([x, z]) => ({ x, y: 0.01, z }));
    return {
      handles: line.map((_, i) => ({
        key: `line ${i}`,
        label: `point ${i + 1} of the line`,
        at: points[i] as Point,
        level: true,
        sideways: false,
        path: 'line',
        moved: (to) => line.map((k, j) => (j === i ? [tidy(clamp(to.x, -60, 60)), tidy(clamp(to.z, -60, 60))] : k)),
      })),
      lines: [{ points, sideways: false }],
    };
  }
  return none;
}
