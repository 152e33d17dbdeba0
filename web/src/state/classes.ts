/** Classes of ground as a list that is edited whole: their order matters. */
import type { LayerView } from '../api/client';
import { withOne, type Condition } from './conditions';

export interface GroundClass {
  key: string;
  name: string;
  look: string;
  tint: string;
  lies: string;
  conditions: Condition[];
}

type Classes = GroundClass[];

export function withValue(classes: Classes, key: string, path: string, value: unknown): Classes {
  return classes.map((c) => (c.key === key ? { ...c, [path]: value } : c));
}

/** With a condition of one class changed, added, or taken away. */
export function withCondition(classes: Classes, key: string, id: string, value: Condition | null): Classes {
  return classes.map((c) => (c.key === key ? { ...c, conditions: withOne(c.conditions, id, value) } : c));
}

/** With the class at `k` one place on. */
export function moved(classes: Classes, k: number, by: -1 | 1): Classes {
  const out = classes.slice();
  const [one] = out.splice(k, 1);
  if (one) out.splice(k + by, 0, one);
  return out;
}

export function without(classes: Classes, key: string): Classes {
  return classes.filter((c) => c.key !== key);
}

/** With one more, that lies only where it is painted. */
export function added(classes: Classes): Classes {
  let n = classes.length + 1;
  while (classes.some((c) => c.key === `class-${n}`)) n++;
  const made = {
    key: `class-${n}`,
    name: `Class ${n}`,
    look: 'soil',
    tint: '#ffffff',
    lies: 'by-brush',
    conditions: [],
  };
  return [...classes, made];
}

/** What it looks like, as a style: its image, or its tone until that is there. */
export function swatchOf(c: { key: string; tint: string }, surface: LayerView['surface']): string {
  const known = surface?.classes.find((x) => x.key === c.key);
  const cover = known && surface?.covers[known.cover];
  if (!cover) return '';
  return `background-color: ${c.tint}; background-image: url(${cover.albedo}); background-blend-mode: multiply; background-size: 220%`;
}
