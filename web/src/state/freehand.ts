/** Lines drawn by free hand, as few points as they need. */

export type Flat = [x: number, z: number];

/** How far `p` lies from the line from `a` to `b`. */
function away(p: Flat, a: Flat, b: Flat): number {
  const [dx, dz] = [b[0] - a[0], b[1] - a[1]];
  const long = dx * dx + dz * dz;
  const t = long ? Math.min(1, Math.max(0, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dz) / long)) : 0;
  return Math.hypot(p[0] - a[0] - t * dx, p[1] - a[1] - t * dz);
}

/** Those points of a line without which it would be farther than `tolerance` metres from itself (Douglas and Peucker 1973). */
export function simplified(points: Flat[], tolerance: number): Flat[] {
  if (points.length < 3) return points.slice();
  const keep = new Set([0, points.length - 1]);
  const open: [number, number][] = [[0, points.length - 1]];
  for (let span = open.pop(); span; span = open.pop()) {
    const [from, to] = span;
    const [a, b] = [points[from] as Flat, points[to] as Flat];
    let [most, at] = [tolerance, -1];
    for (let k = from + 1; k < to; k++) {
      const d = away(points[k] as Flat, a, b);
      if (d > most) [most, at] = [d, k];
    }
    if (at < 0) continue;
    keep.add(at);
    open.push([from, at], [at, to]);
  }
  return points.filter((_, k) => keep.has(k));
}

/** How closely a line drawn by hand is followed: the larger it is, the less. */
export function toleranceOf(points: Flat[]): number {
  const range = (k: 0 | 1) => Math.max(...points.map((p) => p[k])) - Math.min(...points.map((p) => p[k]));
  return Math.max(0.3, 0.02 * Math.hypot(range(0), range(1)));
}
