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

/** A new one; what cannot be measured from all is measured from the first there is. */
export function begun(m: Measure, newId: () => string, choices: { id: string }[] = []): Condition {
  const made: Condition = { id: newId(), of: m.name, between: [...m.between], fade: m.fade };
  const [first] = choices;
  return (m.to === 'class' || m.to === 'viewpoint') && first ? { ...made, ids: [first.id] } : made;
}

/** Conditions with one of them changed, added, or taken away. */
export function withOne(conditions: Condition[], id: string, value: Condition | null): Condition[] {
  if (value && !conditions.some((c) => c.id === id)) return [...conditions, value];
  return conditions.flatMap((c) => (c.id !== id ? [c] : value ? [value] : []));
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

/** The nearest of eight winds. */
export function direction(azimuth: number): string {
  return NORTH[Math.round(azimuth / 45) % 8] ?? 'north';
}

/** The span in words: an end at a limit is open. */
export function spanWords(c: Condition, m: Measure): string {
  const [a, b] = c.between;
  const unit = m.unit === '°' || m.unit === '%' ? m.unit : ` ${m.unit}`;
  const number = (v: number) => shown(v, m.step).replace('-', '−');
  if (a <= m.low && b >= m.high) return 'any';
  if (a <= m.low) return `under ${number(b)}${unit}`;
  if (b >= m.high) return `over ${number(a)}${unit}`;
  return `${number(a)}${a < 0 ? ' to ' : '–'}${number(b)}${unit}`;
}

const ANY: Record<string, string> = { curve: 'any path', region: 'any area', placements: 'anything' };

/** What a condition asks for, after "where". */
export function conditionWords(c: Condition, m: Measure, names: string[]): string {
  const span = spanWords(c, m);
  const these = names.join(', ') || (ANY[m.to] ?? 'nothing yet');
  const said: Record<string, string> = {
    slope: `the slope is ${span}`,
    height: `the height is ${span}`,
    'above-water': `it is ${span} above the water`,
    shore: `the water is ${span} away`,
    wetness: `it is ${span} wet`,
    rise: `it rises ${span} over what is around`,
    facing: `it faces ${direction(c.azimuth ?? 180)}, within ${shown(c.between[1], m.step)}°`,
    clump: `clumps of ${shown(c.width ?? 20, 0.5)} m lie (${span})`,
    image: `the image is light (${span})`,
    noise: `patches of ${shown(c.width ?? 20, 0.5)} m lie (${span})`,
    path: `${these} is ${span} away`,
    area:
      c.between[0] <= m.low && c.between[1] === 0 ? `it lies in ${these}` : `the outline of ${these} is ${span} away`,
    class: `the ground is ${these} (${span})`,
    layer: `${these} stands ${span} away`,
    crown:
      c.between[0] <= m.low && c.between[1] === 100
        ? `it is beneath the crowns of ${these}`
        : `it is at ${span} of the crowns of ${these}`,
    view:
      c.between[0] <= m.low && c.between[1] <= m.between[1]
        ? `${these} sees it`
        : `it lies ${span} beyond the frame of ${these}`,
  };
  const words = said[c.of] ?? `${m.title.toLowerCase()} is ${span}`;
  const strength = c.strength ?? 100;
  const fades =
    c.fade > 0 && m.fade !== c.fade
      ? `, fading over ${shown(c.fade, m.step)}${m.unit === '°' || m.unit === '%' ? m.unit : ` ${m.unit}`}`
      : '';
  return `${c.outside ? 'not ' : ''}${words}${fades}${strength < 100 ? `, by ${strength}%` : ''}`;
}

/** A condition in words, with the names of what it measures from, and whether one of these is missing. */
export function wordsOf(
  c: Condition,
  measures: Measure[],
  choices: (facet: string) => { id: string; name: string }[],
): { text: string; missing: boolean } {
  const m = measures.find((x) => x.name === c.of);
  if (!m) return { text: c.of, missing: true };
  const found = m.to ? choices(m.to) : [];
  const names = (c.ids ?? []).map((id) => found.find((x) => x.id === id)?.name);
  const shownNames = names.map((name, k) => name ?? c.ids?.[k] ?? '');
  return { text: conditionWords(c, m, shownNames), missing: names.includes(undefined) };
}
