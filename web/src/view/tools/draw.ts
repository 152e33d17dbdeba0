/** Draws the points of a new layer on the ground. */
import type { Edit } from '../../state/editQueue';
import { lifted, tidy, type Flat, type Gesture, type Hint, type KeyStroke, type Outcome } from './tool';
import type { Terrain, Tool } from './tool';

/** What is to be drawn. */
export interface Wanted {
  kind: string;
  name: string;
  path: string; // the parameter that holds the points
  least: number;
  point: string; // what one is called
  whole: string; // and all
}

export class DrawTool implements Tool {
  readonly id = 'draw';
  readonly cursor = 'crosshair';
  readonly sets = true;
  readonly alone = true;
  private points: Flat[] = [];
  private over: Flat | null = null;

  constructor(
    private readonly terrain: Terrain,
    private readonly wanted: Wanted,
  ) {}

  hints(): Hint[] {
    return [
      ['click', `set a ${this.wanted.point}`],
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
    const all = this.over ? [...this.points, this.over] : this.points;
    return [{ points: all.map((p) => lifted(this.terrain, p)), dashed: true }];
  }

  pointer(gesture: Gesture): Outcome {
    if (gesture.kind !== 'hover' && gesture.kind !== 'click') return 'nothing';
    const ground = this.terrain.groundAt(gesture.spot);
    const at: Flat | null = ground && [tidy(ground.x), tidy(ground.z)];
    if (gesture.kind === 'hover') this.over = at;
    else if (at) {
      const last = this.points.at(-1);
      if (!last || Math.hypot(last[0] - at[0], last[1] - at[1]) > 0.5) this.points = [...this.points, at];
    }
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
    const { kind, name, path, least, point, whole } = this.wanted;
    if (this.points.length < least) throw new Error(`${whole} takes ${least} ${point}s or more`);
    return [{ op: 'addLayer', kind, name, parameters: { [path]: this.points } }];
  }

  cancel() {
    this.points = [];
    this.over = null;
  }
}
