/** Where the frames of a plate take their samples: low-discrepancy sequences, the same for each picture. */

/** The `k`th value, from 1 on, of the van der Corput sequence in a base (Halton 1960). */
export function halton(k: number, base: number): number {
  let [value, part] = [0, 1];
  for (let i = k; i > 0; i = Math.floor(i / base)) {
    part /= base;
    value += part * (i % base);
  }
  return value;
}

/**
 * The `k`th point, from 0 on, of the first two dimensions of the Sobol' sequence (Sobol' 1967; Kollig and Keller 2002): the
 * first 16, or 64, lie one in each of as many equal boxes of every shape.
 */
export function sobol(k: number): [number, number] {
  let [second, step] = [0, 1 << 31];
  for (let i = k; i > 0; i >>= 1, step ^= step >>> 1) if (i & 1) second ^= step;
  return [halton(k, 2), (second >>> 0) / 2 ** 32];
}

/** The `k`th point, from 0 on, of the R2 sequence in the unit square (Roberts 2018). */
export function r2(k: number): [number, number] {
  return [(0.5 + k * 0.7548776662466927) % 1, (0.5 + k * 0.5698402909980532) % 1];
}

/** A point of the unit disc, from a point of the unit square. */
export function onDisc(u: number, v: number): [number, number] {
  const [r, a] = [Math.sqrt(u), 2 * Math.PI * v];
  return [r * Math.cos(a), r * Math.sin(a)];
}

/**
 * A direction of the upper hemisphere (its upward part and its azimuth), and one over its density by solid angle. Half
 * the directions are spread evenly, half by their upward part: walls and leaves need the one, the ground the other.
 */
export function skyDirection(u: number, v: number): { up: number; azimuth: number; weight: number } {
  const up = (-1 + Math.sqrt(1 + 8 * u)) / 2; // the share below `up` is (up + up²) / 2
  return { up, azimuth: 2 * Math.PI * v, weight: (2 * Math.PI) / (0.5 + up) };
}
