/** Draws points on the ground, by clicks or by free hand: of a new layer, or of a hole in one that is there. */
import type { Edit } from '../../state/editQueue';
import { knotAt, lifted, type Flat, type Gesture, type Hint, type KeyStroke, type Knot, type Outcome } from './tool';
import { simplified, toleranceOf } from '../../state/freehand';
import type { Terrain, Tool } from './tool';

const MOST_POINTS = 400;

/** What is to be drawn. */
export interface Wanted {
  least: number;
  point: string; // what one is called
  whole: string; // and all
  /** The edit that the points come to. */
  edit: (points: Knot[]) => Edit;
}

export class DrawTool implements Tool {
  readonly id = 'draw';
  readonly cursor = 'crosshair';
  readonly sets = true;
  readonly alone = true;
  readonly freehand = true;
  private trail: Flat[] | null = null; // of a free hand, as it goes
  private points: Knot[] = [];
  private over: Knot | null = null;

  constructor(
    private readonly terrain: Terrain,
    private readonly wanted: Wanted,
  ) {}

  hints(): Hint[] {
    return [
      ['click', `set a ${this.wanted.point}`],
      ['Shift+drag', 'by free hand'],
      ['Backspace', 'take one back'],
      ['Enter', 'finish'],
      ['Esc', 'leave'],
    ];
  }

  marks() {
    return this.points.map((p, i) => ({
      key: `point ${i}`,
      label: `${this.wanted.point} ${i + 1}`,
      at: lifted(this.terrain, p),
    }));
  }

  strokes() {
    const all = this.trail ? [...this.points, ...this.trail] : this.over ? [...this.points, this.over] : this.points;
    return [{ points: all.map((p) => lifted(this.terrain, p)), dashed: true }];
  }

  pointer(gesture: Gesture): Outcome {
    if (gesture.kind === 'release') return this.letGo();
    const ground = this.terrain.groundAt(gesture.spot);
    const at = ground && knotAt(this.terrain, ground);
    if (gesture.kind === 'hover') this.over = at;
    else if (gesture.kind === 'press') this.trail = at ? [[at[0], at[1]]] : [];
    else if (gesture.kind === 'drag') {
      if (at) this.trail?.push([at[0], at[1]]);
    } else if (at) {
      const last = this.points.at(-1);
      if (!last || Math.hypot(last[0] - at[0], last[1] - at[1], (last[2] ?? 0) - (at[2] ?? 0)) > 0.5)
        this.points = [...this.points, at];
    }
    return 'shown';
  }

  /** What the hand drew, as few points as it needs. */
  private letGo(): Outcome {
    const trail = this.trail ?? [];
    this.trail = null;
    if (trail.length) this.points = [...this.points, ...simplified(trail, toleranceOf(trail))].slice(0, MOST_POINTS);
    return 'shown';
  }

  key(stroke: KeyStroke): Outcome {
    if (stroke.kind !== 'back') return 'nothing';
    this.points = this.points.slice(0, -1);
    return 'shown';
  }

  draft() {
    return null;
  }

  commit(): Edit[] {
    const { least, point, whole, edit } = this.wanted;
    if (this.points.length < least) throw new Error(`${whole} takes ${least} ${point}s or more`);
    return [edit(this.points)];
  }

  cancel() {
    this.points = [];
    this.over = this.trail = null;
  }
}
