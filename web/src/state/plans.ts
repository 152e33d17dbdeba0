/** Plans of buildings that are taken from outlines on the ground. */
import { simplified, type Flat } from './freehand';

/** An outline of the scene that a plan can be taken from. */
export interface Outline {
  id: string;
  name: string;
  points: Flat[];
}

export const MOST_CORNERS = 60;
const tidy = (v: number) => Math.round(v * 100) / 100;

/** The middle of what a closed outline encloses; of one that encloses nothing, that of its points. */
function middle(points: Flat[]): Flat {
  let [area, x, z] = [0, 0, 0];
  points.forEach((a, k) => {
    const b = points[(k + 1) % points.length] as Flat;
    const across = a[0] * b[1] - b[0] * a[1];
    area += across;
    x += (a[0] + b[0]) * across;
    z += (a[1] + b[1]) * across;
  });
  if (Math.abs(area) > 1e-6) return [x / (3 * area), z / (3 * area)];
  return [0, 1].map((c) => points.reduce((sum, p) => sum + (p[c] ?? 0), 0) / points.length) as Flat;
}

/** An outline about its own middle, in centimetres, with no more corners than a plan may have. */
export function planOf(points: Flat[]): Flat[] {
  const [x, z] = middle(points);
  let tolerance = 0.02;
  let found = points;
  while (found.length > MOST_CORNERS) {
    tolerance *= 1.5;
    found = simplified([...points, points[0] as Flat], tolerance).slice(0, -1);
  }
  return found.map((p) => [tidy(p[0] - x), tidy(p[1] - z)]);
}
