/** What of a recipe can be dragged in the view, by the form of handle that the service gives a parameter. */
import type { Row, Values } from '../api/client';
import type { Point } from '../view/tools/tool';
import { matters } from './matters';
import { valueAt, type Knot } from './monotone';
import { read } from './values';

/** What is dragged: the rows of the stage that is open, over an asset's parameters. */
export interface Subject {
  asset: string; // its id
  rows: Row[];
  parameters: Values;
  mayEdit: boolean;
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

const FORMS: Record<string, (row: Row, p: Values) => Handles> = { guide, silhouette, line };

/** The handles of all rows that have some and matter as the others stand. */
export function handlesOf({ rows, parameters }: Subject): Handles {
  const all = rows
    .filter((row) => row.handle && matters(row, parameters))
    .map((row) => FORMS[row.handle?.form ?? '']?.(row, parameters) ?? { handles: [], lines: [] });
  return { handles: all.flatMap((h) => h.handles), lines: all.flatMap((h) => h.lines) };
}

/** A parameter beside `row`, by what its handle calls it. */
const beside = (row: Row, p: Values, name: string) => Number(read(p, row.handle?.[name] ?? '') ?? 1);

/** Knots in space, in shares of a height, that a line runs through from the foot. */
function guide(row: Row, p: Values): Handles {
  const tall = beside(row, p, 'tall');
  const knots = (read(p, row.path) ?? []) as [number, number, number][];
  if (!knots.length) return { handles: [], lines: [] };
  const points = [[0, 0, 0], ...knots].map(([x = 0, y = 0, z = 0]) => ({ x: x * tall, y: y * tall, z: z * tall }));
  return {
    handles: knots.map((_, i) => ({
      key: `${row.path} ${i}`,
      label: `knot ${i + 1} of the guide`,
      at: points[i + 1] as Point,
      level: false,
      sideways: false,
      path: row.path,
      moved: (to) => {
        const place = [to.x, to.y, to.z].map((v) => tidy(clamp(v / tall, -3, 3), 0.001));
        return knots.map((k, j) => (j === i ? place : k));
      },
    })),
    lines: [{ points: smooth(points), sideways: false }],
  };
}

/** A profile of half widths from `low` to the top, on both sides of the middle. */
function silhouette(row: Row, p: Values): Handles {
  const knots = (read(p, row.path) ?? []) as Knot[];
  if (!knots.length) return { handles: [], lines: [] };
  const tall = beside(row, p, 'tall');
  const low = row.handle?.low ? Math.min(beside(row, p, 'low'), 0.97) * tall : 0;
  const half = 0.5 * beside(row, p, 'wide') * tall;
  const at = (t: number, w: number, side: number) => ({ x: side * w * half, y: low + t * (tall - low), z: 0 });
  const ts = Array.from({ length: 33 }, (_, k) => k / 32);
  return {
    handles: knots.map(([t, w], i) => ({
      key: `${row.path} ${i}`,
      label: `knot ${i + 1} of the ${row.handle?.what ?? 'crown'}`,
      at: at(t, w, 1),
      level: false,
      sideways: true,
      path: row.path,
      moved: (to) => {
        const before = i ? (knots[i - 1] as Knot)[0] + 0.01 : 0;
        const after = i < knots.length - 1 ? (knots[i + 1] as Knot)[0] - 0.01 : 1;
        const knot = [tidy(clamp((to.y - low) / (tall - low), before, after)), tidy(clamp(to.x / half, 0, 1))];
        return knots.map((k, j) => (j === i ? knot : k));
      },
    })),
    lines: [1, -1].map((side) => ({ points: ts.map((t) => at(t, valueAt(knots, t), side)), sideways: true })),
  };
}

/** Points on the level ground. */
function line(row: Row, p: Values): Handles {
  const knots = (read(p, row.path) ?? []) as [number, number][];
  const points = knots.map(([x, z]) => ({ x, y: 0.01, z }));
  return {
    handles: knots.map((_, i) => ({
      key: `${row.path} ${i}`,
      label: `point ${i + 1} of the line`,
      at: points[i] as Point,
      level: true,
      sideways: false,
      path: row.path,
      moved: (to) => knots.map((k, j) => (j === i ? [tidy(clamp(to.x, -60, 60)), tidy(clamp(to.z, -60, 60))] : k)),
    })),
    lines: [{ points, sideways: false }],
  };
}
