/** What rulers share: values on their steps, strides of keys, the way of a drag. */
import type { Row } from '../api/client';
import { decimals } from '../state/values';

export interface Scale {
  low: number;
  high: number;
  /** The ends that are drawn; values beyond are typed. */
  from: number;
  to: number;
  step: number;
}

export interface Ruled {
  path: string;
  title: string;
  hard: [low: number, high: number];
  soft: [low: number, high: number];
  unit: string;
  step: number;
  start: number;
}

/** A ruler for a number that is no parameter of anything. */
export const ruled = ({ hard, start, ...own }: Ruled) =>
  ({ ...own, low: hard[0], high: hard[1], control: 'slider', default: start, help: '' }) as unknown as Row;

/** `v` on its step and within the limits. */
export function tidied(v: number, { low, high, step }: Scale): number {
  const snapped = Math.round(v / step) * step;
  return Number(Math.min(high, Math.max(low, snapped)).toFixed(decimals(step) + 2));
}

/** By how much one press of an arrow, or one notch of the wheel, changes a value. */
export function stride(event: { shiftKey: boolean; altKey: boolean }, { from, to, step }: Scale): number {
  const plain = Math.max(step, (to - from) / 100);
  return event.shiftKey ? step : event.altKey ? plain * 10 : plain;
}

/** Which way an arrow key changes a value: 1, -1, or 0 for other keys. */
export function wayOf(key: string): number {
  return { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[key] ?? 0;
}

/** A drag along a ruler. With Shift a value goes a tenth of the pointer's way, however slowly it is dragged. */
export class RulerDrag {
  private anchor: { x: number; value: number } | null = null;

  begin(): void {
    this.anchor = null;
  }

  /** The value, not rounded, for the pointer at `x` pixels from the ruler's left end, while the value is `now`. */
  at(x: number, width: number, fine: boolean, now: number, { from, to }: Scale): number {
    if (!fine) {
      this.anchor = null;
      return from + (x / width) * (to - from);
    }
    this.anchor ??= { x, value: now };
    return this.anchor.value + (((x - this.anchor.x) / width) * (to - from)) / 10;
  }
}
