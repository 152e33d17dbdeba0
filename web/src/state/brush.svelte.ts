/** The brush that shapes the ground: which is in hand, and how it is set. */
import type { Row } from '../api/client';
import type { Brush } from '../view/tools/brush';
import type { GroundClass } from './classes';

export const BRUSHES = [
  { id: 'raise', title: 'Raise', amount: 'By' },
  { id: 'lower', title: 'Lower', amount: 'By' },
  { id: 'level', title: 'Level', amount: '' },
  { id: 'smooth', title: 'Smooth', amount: '' },
  { id: 'roughen', title: 'Roughen', amount: 'By up to' },
  { id: 'terrace', title: 'Terrace', amount: 'Steps of' },
] as const;

const BEGIN = { radius: 12, amount: 1, strength: 1, falloff: 0.6 };

class BrushBox {
  /** The brush in hand; empty: none is. */
  inHand = $state('');
  /** The class that is painted; empty: what the rules say comes back. */
  paint = $state('');
  radius = $state(BEGIN.radius);
  amount = $state(BEGIN.amount);
  strength = $state(BEGIN.strength);
  falloff = $state(BEGIN.falloff);

  /** As it is held over a ground of `classes`. */
  over(classes: GroundClass[]): Brush {
    const { inHand, paint, radius, amount, strength, falloff } = this;
    if (inHand === 'paint') {
      const name = classes.find((c) => c.key === paint)?.name ?? paint;
      const hint = paint ? `paint ${name.toLowerCase()}` : 'wipe off';
      return { hint, path: 'painted', radius, falloff, values: { paint, radius, strength, falloff } };
    }
    const values = { brush: inHand, radius, amount, strength, falloff };
    return { hint: inHand, path: 'strokes', radius, falloff, values };
  }
}

export const brush = new BrushBox();

type Range = [low: number, high: number];
const row = (name: keyof typeof BEGIN, title: string, hard: Range, soft: Range, unit: string, step: number) =>
  ({
    path: `brush.${name}`,
    title,
    low: hard[0],
    high: hard[1],
    soft,
    unit,
    step,
    control: 'slider',
    default: BEGIN[name],
    help: '',
  }) as unknown as Row;

/** Its rulers; what the amount is called hangs on the brush. */
export const BRUSH_ROWS = {
  radius: row('radius', 'Radius', [0.5, 400], [1, 60], 'm', 0.5),
  amount: (title: string) => row('amount', title, [0.01, 100], [0.1, 10], 'm', 0.05),
  strength: row('strength', 'Strength', [0.01, 1], [0.01, 1], '', 0.01),
  falloff: row('falloff', 'Fall-off', [0, 1], [0, 1], '', 0.01),
};
