/** Monotone cubic through knots (Fritsch and Carlson 1980), as the core draws profiles. */
export type Knot = [number, number];

function end(h0: number, h1: number | undefined, d0: number, d1: number | undefined): number {
  if (h1 === undefined || d1 === undefined) return d0;
  const m = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1);
  if (m * d0 <= 0) return 0;
  return d0 * d1 <= 0 && Math.abs(m) > 3 * Math.abs(d0) ? 3 * d0 : m;
}

/** The slope at each knot. */
export function slopes(k: Knot[]): number[] {
  const n = k.length;
  const h = k.slice(1).map((b, i) => b[0] - (k[i] as Knot)[0]);
  const d = k.slice(1).map((b, i) => (b[1] - (k[i] as Knot)[1]) / (h[i] ?? 1));
  return k.map((_, i) => {
    if (i === 0) return end(h[0] ?? 1, h[1], d[0] ?? 0, d[1]);
    if (i === n - 1) return end(h[n - 2] ?? 1, h[n - 3], d[n - 2] ?? 0, d[n - 3]);
    const [a, b] = [d[i - 1] ?? 0, d[i] ?? 0];
    if (a * b <= 0) return 0;
    const [u, v] = [2 * (h[i] ?? 1) + (h[i - 1] ?? 1), (h[i] ?? 1) + 2 * (h[i - 1] ?? 1)];
    return (u + v) / (u / a + v / b);
  });
}

/** The profile at `x` in [0, 1]. */
export function valueAt(k: Knot[], x: number): number {
  const first = k[0] as Knot;
  const last = k[k.length - 1] as Knot;
  if (x <= first[0]) return first[1];
  if (x >= last[0]) return last[1];
  const m = slopes(k);
  const i = k.findIndex((b, j) => j > 0 && x <= b[0]) - 1;
  const [a, b] = [k[i] as Knot, k[i + 1] as Knot];
  const h = b[0] - a[0];
  const t = (x - a[0]) / h;
  const [ma, mb] = [(m[i] ?? 0) * h, (m[i + 1] ?? 0) * h];
  return a[1] * (1 + 2 * t) * (1 - t) ** 2 + ma * t * (1 - t) ** 2 + b[1] * t * t * (3 - 2 * t) + mb * t * t * (t - 1);
}
