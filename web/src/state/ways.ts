/** Ways to begin what stands along a line or at points that one has drawn. */
import type { Row, Way } from '../api/client';

// where it stands, its openings and what it is of stay as they are
const KEPT = ['points', 'closed', 'openings', 'on', 'seed', 'mix', 'touches'];

/** The parameters of a way, which names what differs from the defaults, without those that a layer keeps. */
export function begun(rows: Row[], way: Way): Record<string, unknown> {
  const fresh = rows.map((r) => [r.path, r.default] as const);
  const own = Object.entries(way.parameters ?? {});
  return Object.fromEntries([...fresh, ...own].filter(([path]) => !KEPT.includes(path)));
}
