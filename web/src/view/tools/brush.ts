/** Shapes or paints the ground by strokes: a ring on the surface is what the brush reaches. */
import type { Edit } from '../../state/editQueue';
import { lifted, round, tidy, type Flat, type Gesture, type Hint, type Label, type Outcome } from './tool';
import type { Stroke, Terrain, Tool, WheelKey } from './tool';

/** The brush as it is set. */
export interface Brush {
  hint: string; // what dragging it does
  path: string; // the parameter that holds its strokes
  radius: number; // metres
  falloff: number; // share of the radius
  values: Record<string, unknown>; // of a stroke, besides its points
}

const MOST_POINTS = 400;

export class BrushTool implements Tool {
  readonly id = 'brush';
  readonly cursor = 'crosshair';
  readonly sets = true;
  readonly paints = true;
  readonly alone = false;
  private over: Flat | null = null;
  private live: { id: string; points: Flat[] } | null = null;

  constructor(
    private readonly terrain: Terrain,
    private readonly layer: string,
    private readonly brush: () => Brush,
    private readonly resize: (radius: number) => void = () => {},
    private readonly newId: () => string = () => crypto.randomUUID().slice(0, 8),
  ) {}

  hints(): Hint[] {
    return [
      ['drag', this.brush().hint],
      ['right drag', 'pan'],
      ['wheel', 'zoom'],
      ['Y wheel', 'width'],
      ['arrows, Space', 'by keys'],
      ['Esc', 'leave'],
    ];
  }

  marks() {
    return [];
  }

  strokes(): Stroke[] {
    if (!this.over) return [];
    const { radius, falloff } = this.brush();
    const rings: Stroke[] = [{ points: this.ring(this.over, radius) }];
    if (falloff > 0.05 && falloff < 0.95)
      rings.push({ points: this.ring(this.over, radius * (1 - falloff)), dashed: true });
    return rings;
  }

  labels(): Label[] {
    if (!this.over) return [];
    const { radius } = this.brush();
    const [x, z] = this.over;
    return [{ text: `${tidy(2 * radius)} m`, at: lifted(this.terrain, [x + radius, z]) }];
  }

  private ring(middle: Flat, radius: number) {
    return round(middle, radius).map((at) => lifted(this.terrain, at));
  }

  pointer(gesture: Gesture): Outcome {
    if (gesture.kind === 'lift') return 'nothing';
    if (gesture.kind === 'release') return this.live ? 'commit' : 'nothing';
    const ground = this.terrain.groundAt(gesture.spot);
    if (gesture.kind === 'hover' || !ground) {
      if (!this.live) this.over = ground && [ground.x, ground.z];
      return 'shown';
    }
    const at: Flat = [tidy(ground.x), tidy(ground.z)];
    this.over = at;
    if (gesture.kind === 'drag') return this.live && this.goOn(this.live.points, at) ? 'draft' : 'shown';
    this.live = { id: this.newId(), points: [at] };
    return gesture.kind === 'click' ? 'commit' : 'draft';
  }

  /** Whether the stroke has gone on: points lie a little apart, and when there are too many every second one goes. */
  private goOn(points: Flat[], at: Flat): boolean {
    const last = points.at(-1) as Flat;
    if (Math.hypot(at[0] - last[0], at[1] - last[1]) < Math.max(0.1, 0.15 * this.brush().radius)) return false;
    if (this.live) this.live.points = [...(points.length < MOST_POINTS ? points : thinned(points)), at];
    return true;
  }

  key(): Outcome {
    return 'nothing';
  }

  wheel(key: WheelKey, steps: number): Outcome {
    if (key !== 'y' || this.live) return 'nothing';
    this.resize(tidy(Math.min(400, Math.max(0.5, this.brush().radius * 1.1 ** steps))));
    return 'shown';
  }

  private change() {
    if (!this.live) return null;
    const { path, values } = this.brush();
    return { path: `${path}#${this.live.id}`, value: { ...values, points: this.live.points } };
  }

  draft() {
    return this.change();
  }

  commit(): Edit[] {
    const change = this.change();
    this.cancel();
    return change ? [{ op: 'layer', id: this.layer, parameters: { [change.path]: change.value } }] : [];
  }

  cancel() {
    this.live = null;
  }
}

const thinned = (points: Flat[]) => points.filter((_, k) => k % 2 === 0);
