/** A scatter's patterns, as its sentence says them. */
export const PATTERNS: Record<string, string> = {
  anyhow: 'anyhow',
  rows: 'in rows',
  staggered: 'in staggered rows',
  contours: 'along contour lines',
};
