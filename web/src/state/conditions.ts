/** Conditions in words, their rulers, and how a new one begins. */
import type { Measure, Row } from '../api/client';
import { shown } from './values';

/** A condition as it is kept: what is left out is as by default. */
export interface Condition {
  id: string;
  of: string;
  between: [number, number];
  fade: number;
  outside?: boolean;
  strength?: number;
  ids?: string[];
  azimuth?: number;
  width?: number;
  [more: string]: unknown;
}

export function begun(m: Measure, newId: () => string): Condition {
  return { id: newId(), of: m.name, between: [...m.between], fade: m.fade };
}

/** The ruler of its span, and of what it fades over. */
export function spanRow(m: Measure): Row {
  return { ...blank, path: 'between', title: 'Between', help: m.help, unit: m.unit, low: m.low, high: m.high, soft: m.soft, step: m.step, default: m.between } as unknown as Row; // prettier-ignore
}

export function fadeRow(m: Measure, row: Row): Row {
  const wide = (m.soft[1] - m.soft[0]) / 2;
  return { ...row, unit: m.unit, step: m.step, soft: [0, wide], default: m.fade };
}

const blank = { control: 'span', group: '', section: '', when: [], acts: [], options: null };

const NORTH = ['north', 'north-east', 'east', 'south-east', 'south', 'south-west', 'west', 'north-west'];

function direction(azimuth: number): string {
  return NORTH[Math.round(azimuth / 45) % 8] ?? 'north';
}

/** The span in words: an end at a limit is open. */
export function spanWords(c: Condition, m: Measure): string {
  const [a, b] = c.between;
  const unit = m.unit === '°' || m.unit === '%' ? m.unit : ` ${m.unit}`;
  const number = (v: number) => shown(v, m.step);
  if (a <= m.low && b >= m.high) return 'any';
  if (a <= m.low) return `under ${number(b)}${unit}`;
  if (b >= m.high) return `over ${number(a)}${unit}`;
  return `${number(a)}–${number(b)}${unit}`;
}

/** What a condition asks for, after "where". */
export function conditionWords(c: Condition, m: Measure, names: string[]): string {
  const span = spanWords(c, m);
  const these = names.length ? names.join(', ') : `any ${m.to === 'region' ? 'area' : 'path'}`;
  const said: Record<string, string> = {
    slope: `the slope is ${span}`,
    height: `the height is ${span}`,
    'above-water': `it is ${span} above the water`,
    shore: `the water is ${span} away`,
    wetness: `it is ${span} wet`,
    rise: `it rises ${span} over what is around`,
    facing: `it faces ${direction(c.azimuth ?? 180)}, within ${shown(c.between[1], m.step)}°`,
    noise: `patches of ${shown(c.width ?? 20, 0.5)} m lie (${span})`,
    path: `${these} is ${span} away`,
    area:
      c.between[0] <= m.low && c.between[1] === 0 ? `it lies in ${these}` : `the outline of ${these} is ${span} away`,
  };
  const words = said[c.of] ?? `${m.title.toLowerCase()} is ${span}`;
  const strength = c.strength ?? 100;
  return `${c.outside ? 'not ' : ''}${words}${strength < 100 ? `, by ${strength}%` : ''}`;
}
