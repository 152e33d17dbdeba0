/** Places of the scene as they lie over the view. */
import type { Point, Spot } from './tools/tool';

/** Where a point lies in the view; null behind the camera. */
export type Project = (point: Point) => Spot | null;

/** Lines as one SVG path, interrupted where they pass behind the camera. */
export function pathOf(project: Project, points: Point[]): string {
  let out = '';
  let pen = false;
  for (const point of points) {
    const p = project(point);
    const seen = p !== null && Number.isFinite(p.x + p.y);
    if (seen) out += `${pen ? 'L' : 'M'}${p.x.toFixed(1)} ${p.y.toFixed(1)}`;
    pen = seen;
  }
  return out;
}

/** How far the keyboard's cross goes, and how far the view must walk so that it stays inside `margin`. */
export function crossed(at: Spot, by: Spot, size: Spot, margin = 24): { cross: Spot; walk: Spot } {
  const to = { x: at.x + by.x, y: at.y + by.y };
  const cross = {
    x: Math.min(Math.max(to.x, margin), Math.max(margin, size.x - margin)),
    y: Math.min(Math.max(to.y, margin), Math.max(margin, size.y - margin)),
  };
  return { cross, walk: { x: to.x - cross.x, y: to.y - cross.y } };
}
