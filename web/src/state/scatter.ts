/** A scatter's patterns, as its sentence says them. */
export const PATTERNS: Record<string, string> = {
  anyhow: 'anyhow',
  rows: 'in rows',
  staggered: 'in staggered rows',
  contours: 'along contour lines',
};

/** What of earlier layers room is kept from, as its sentence says it. */
export const ROOM: Record<string, string> = {
  stems: 'the stems',
  feet: 'the feet',
  crowns: 'the crowns',
};
