/** Moves, adds and removes the points of a layer that is there. */
import type { Layer } from '../../api/client';
import type { Edit } from '../../state/editQueue';
import { lifted, tidy, type Flat, type Gesture, type Hint, type KeyStroke, type Mark, type Outcome } from './tool';
import type { Stroke, Terrain, Tool } from './tool';

/** Where a layer keeps its points, and what they are called. */
export interface Shape {
  path: string;
  closed: boolean;
  least: number;
  most: number;
  point: string;
}

export class ShapeTool implements Tool {
  readonly id = 'shape';
  readonly cursor = '';
  readonly sets = false;
  readonly alone = false;
  focus?: string;
  private live: Flat[] | null = null;
  private held = -1;

  constructor(
    private readonly terrain: Terrain,
    private readonly layer: () => Layer | undefined,
    private readonly shape: Shape,
    private readonly mayEdit: () => boolean,
  ) {}

  private get points(): Flat[] {
    return this.live ?? ((this.layer()?.parameters[this.shape.path] ?? []) as Flat[]);
  }

  hints(): Hint[] {
    const { point } = this.shape;
    return this.mayEdit()
      ? [
          ['drag', `a ${point}`],
          ['Insert', 'one more'],
          ['Delete', 'remove it'],
          ['F', 'frame'],
        ]
      : [['F', 'frame']];
  }

  marks(): Mark[] {
    const { points, shape } = this;
    if (!this.mayEdit()) return [];
    const out: Mark[] = [];
    points.forEach((p, i) => {
      out.push({ key: `point ${i}`, label: `${shape.point} ${i + 1}`, at: lifted(this.terrain, p) });
      const next = points[i + 1] ?? (shape.closed ? points[0] : undefined);
      if (this.live || !next || points.length >= shape.most) return;
      const label = `add a ${shape.point} after ${i + 1}`;
      out.push({ key: `middle ${i}`, label, at: lifted(this.terrain, between(p, next)), adds: true });
    });
    return out;
  }

  strokes(): Stroke[] {
    const layer = this.layer();
    if (!layer) return [];
    if (!this.live || !this.shape.closed) return this.terrain.lines(layer.id).map((points) => ({ points }));
    return [{ points: [...this.live, ...this.live.slice(0, 1)].map((p) => lifted(this.terrain, p)) }];
  }

  pointer(gesture: Gesture): Outcome {
    if (gesture.kind === 'press') {
      if (!this.mayEdit()) return 'nothing';
      if (gesture.mark.startsWith('middle')) this.insert(indexOf(gesture.mark));
      else this.held = indexOf(gesture.mark);
      return 'shown';
    }
    if (gesture.kind === 'drag' && this.held >= 0) {
      const ground = this.terrain.groundAt(gesture.spot);
      if (!ground) return 'nothing';
      this.put(this.held, [tidy(ground.x), tidy(ground.z)]);
      return 'draft';
    }
    if (gesture.kind === 'release') return this.live ? 'commit' : 'nothing';
    return 'nothing';
  }

  key(stroke: KeyStroke): Outcome {
    if (stroke.kind === 'back' || !this.mayEdit()) return 'nothing';
    if (stroke.mark.startsWith('middle') && stroke.kind !== 'add') return 'nothing'; // no point is there yet
    const i = indexOf(stroke.mark);
    const at = this.points[i];
    if (!at) return 'nothing';
    if (stroke.kind === 'nudge') {
      const step = stroke.fine ? 0.1 : 1;
      this.put(i, [tidy(at[0] + stroke.right * step), tidy(at[1] - stroke.up * step)]);
      return 'draft';
    }
    if (stroke.kind === 'add') {
      if (this.points.length >= this.shape.most) return 'nothing';
      this.insert(i);
      this.focus = `point ${i + 1}`;
      return 'commit';
    }
    if (this.points.length <= this.shape.least) return 'nothing';
    this.live = this.points.filter((_, k) => k !== i);
    this.focus = `point ${Math.min(i, this.live.length - 1)}`;
    return 'commit';
  }

  private put(i: number, to: Flat) {
    this.live = this.points.map((p, k) => (k === i ? to : p));
  }

  /** One more behind the point `i`, in hand at once. */
  private insert(i: number) {
    const { points } = this;
    const last = points.length - 1;
    const [a, b] = [points[i], points[i + 1] ?? (this.shape.closed ? points[0] : undefined)];
    // behind the end of an open line it goes on as it came
    const before = points[last - 1];
    const at = a && (b ? between(a, b) : before ? ([2 * a[0] - before[0], 2 * a[1] - before[1]] as Flat) : a);
    if (!at) return;
    this.live = [...points.slice(0, i + 1), [tidy(at[0]), tidy(at[1])], ...points.slice(i + 1)];
    this.held = i + 1;
  }

  draft() {
    return this.live && { path: this.shape.path, value: this.live };
  }

  commit(): Edit[] {
    const layer = this.layer();
    const points = this.live;
    this.cancel();
    return layer && points ? [{ op: 'layer', id: layer.id, parameters: { [this.shape.path]: points } }] : [];
  }

  cancel() {
    this.live = null;
    this.held = -1;
  }
}

const indexOf = (mark: string) => Number(mark.split(' ')[1]);
const between = (a: Flat, b: Flat): Flat => [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
