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
      lines: [{ points, sideways: false }],
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
