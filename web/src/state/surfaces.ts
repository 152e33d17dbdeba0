/** Faces of things, in words. */

/** Which faces: by how far they are turned from looking up. */
export function facesWords([low, high]: [number, number]): string {
  if (low <= 0 && high >= 180) return 'whichever way they look';
  if (low <= 0) return high === 90 ? 'that look up' : `that look up, turned by ${high}° at most`;
  if (high >= 180) return low === 90 ? 'that look down' : `turned by ${low}° or more`;
  return `turned by ${low}–${high}° from looking up`;
}
