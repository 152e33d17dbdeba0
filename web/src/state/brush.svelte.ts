/** The brush that shapes and paints the ground, or places assets: which is in hand, and how it is set. */
import type { Layer, ScatterValues, SurfacesValues } from '../api/client';
import { ruled } from '../controls/ruler';
import { strokesOf } from '../layers/kinds';
import type { Brush } from '../view/tools/brush';
import type { GroundClass } from './classes';
import { mixed } from './mix';

export const BRUSHES = [
  { id: 'raise', title: 'Raise', amount: 'By' },
  { id: 'lower', title: 'Lower', amount: 'By' },
  { id: 'level', title: 'Level', amount: '' },
  { id: 'smooth', title: 'Smooth', amount: '' },
  { id: 'roughen', title: 'Roughen', amount: 'By up to' },
  { id: 'terrace', title: 'Terrace', amount: 'Steps of' },
] as const;

/** Brushes that say which assets of a layer stand where. */
export const PLACERS = [
  { id: 'set', title: 'Paint', amount: 'Amount', does: 'paint' },
  { id: 'thin', title: 'Thin', amount: 'By', does: 'erase' },
  { id: 'erase', title: 'Erase', amount: '', does: 'erase' },
] as const;

/** Where a rule stands by what is painted over it; empty: wherever it says. */
export function paintedWords(p: ScatterValues | SurfacesValues): string {
  if (p.only_painted) return 'only where it is painted';
  return p.strokes?.some((s) => s.does === 'erase') ? 'but for what is erased' : '';
}

const BEGIN = { radius: 12, amount: 1, strength: 1, falloff: 0.6, share: 100 };

class BrushBox {
  /** The brush in hand; empty: none is. */
  inHand = $state('');
  /** The class that is painted; empty: what the rules say comes back. */
  paint = $state('');
  radius = $state(BEGIN.radius);
  amount = $state(BEGIN.amount);
  strength = $state(BEGIN.strength);
  falloff = $state(BEGIN.falloff);

  /** How much of what fits is painted or taken away, per cent. */
  share = $state(BEGIN.share);
  /** The assets that are laid aside, by layer. */
  private aside = $state<Record<string, string[]>>({});

  /** The assets of a layer's mix that the brush has on it. */
  on(layer: Layer): string[] {
    return mixed(layer).filter((asset) => !this.aside[layer.id]?.includes(asset));
  }

  /** Take one up, or lay it aside; one at least stays on the brush. */
  flip(layer: Layer, asset: string) {
    const on = this.on(layer);
    const next = on.includes(asset) ? on.filter((a) => a !== asset) : [...on, asset];
    if (next.length) this.aside[layer.id] = mixed(layer).filter((a) => !next.includes(a));
  }

  /** As it is held over a layer. */
  over(layer: Layer): Brush {
    const placer = PLACERS.find((b) => b.id === this.inHand);
    const path = strokesOf(layer.kind)?.path;
    if (placer && path) return this.placing(layer, placer, path);
    return this.overGround((layer.parameters.classes ?? []) as GroundClass[]);
  }

  private placing(layer: Layer, placer: (typeof PLACERS)[number], path: string): Brush {
    const { radius, falloff } = this;
    const on = this.on(layer);
    const assets = on.length === mixed(layer).length ? [] : on;
    const strength = placer.amount ? this.share / 100 : 1;
    const values = { does: placer.does, assets, radius, strength, falloff };
    return { hint: placer.title.toLowerCase(), path, radius, falloff, values };
  }

  private overGround(classes: GroundClass[]): Brush {
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
  ruled({ path: `brush.${name}`, title, hard, soft, unit, step, start: Number(BEGIN[name]) });

/** Its rulers; what the amount is called hangs on the brush. */
export const BRUSH_ROWS = {
  radius: row('radius', 'Radius', [0.5, 400], [1, 60], 'm', 0.5),
  amount: (title: string) => row('amount', title, [0.01, 100], [0.1, 10], 'm', 0.05),
  strength: row('strength', 'Strength', [0.01, 1], [0.01, 1], '', 0.01),
  share: (title: string) => row('share', title, [1, 100], [1, 100], '%', 1),
  falloff: row('falloff', 'Fall-off', [0, 1], [0, 1], '', 0.01),
};
