/** Chooses placements of a layer, one by one, by lasso or by rectangle, and moves, turns, sizes and lifts them together. */
import type { Edit } from '../../state/editQueue';
import type { Adjusting, Change, Chosen } from '../../state/chosen.svelte';
import { OF_KEY, type Hand } from '../../state/hand.svelte';
import { BY_WHEEL, lifted, ringAbout, tidy, type Flat, type Gesture, type Hint, type KeyStroke } from './tool';
import type { Mark, Outcome, Point, Spot, Stood, Stroke, Terrain, Tool, WheelKey } from './tool';

const STILL = 4; // pixels within which a line is no more than a click
const RINGS = 300; // that are drawn at most
const MIDDLE = 'middle';
const NUDGE = 0.25; // metres

/** What it needs of the view. */
export interface Field extends Terrain {
  /** Placements of a layer whose feet are seen at spots that `within` holds. */
  standing(layer: string, within: (spot: Spot) => boolean): Stood[];
  /** The ground under a spot of the view, as the points of a line over it. */
  spotsOn(spots: Spot[]): Point[];
}

export class ChooseTool implements Tool {
  readonly id = 'choose';
  readonly cursor = 'default';
  readonly sets = true;
  readonly freehand = true;
  readonly alone = false;
  private line: Spot[] | null = null; // what is being drawn about them
  private grip: Flat | null = null; // where the middle was taken hold of
  private from: Flat = [0, 0]; // where the middle was then
  private by: Flat = [0, 0];
  private done: Change = {}; // besides that

  constructor(
    private readonly field: Field,
    private readonly layer: string,
    private readonly chosen: Chosen,
    private readonly hand: Pick<Hand, 'steps'>,
    private readonly variants: () => { asset: string; seed: number }[],
    private readonly tell: (what: string) => void,
  ) {}

  get holds() {
    return this.changes || this.chosen.things.length > 0;
  }

  private get changes() {
    return this.by[0] !== 0 || this.by[1] !== 0 || Object.keys(this.done).length > 0;
  }

  hints(): Hint[] {
    if (!this.chosen.things.length)
      return [
        ['click', 'choose one'],
        ['Shift drag', this.chosen.form],
        ['Shift click', 'one more'],
        ['Esc', 'leave'],
      ];
    if (this.changes)
      return [
        ['Enter', 'keep it'],
        ['Esc', 'put them back'],
      ];
    return [['drag the dot', 'move'], BY_WHEEL, ['Delete', 'away with them'], ['Esc', 'let go']];
  }

  marks(): Mark[] {
    if (!this.chosen.things.length) return [];
    const many = this.chosen.things.length;
    const label = many === 1 ? 'the one that is chosen' : `the ${many} that are chosen`;
    return [{ key: MIDDLE, label, at: this.on(this.middle) }];
  }

  private get middle(): Flat {
    if (!this.changes && !this.grip) return this.chosen.middle;
    return [this.from[0] + this.by[0], this.from[1] + this.by[1]];
  }

  private on([x, z]: Flat): Point {
    return lifted(this.field, [x, z]);
  }

  strokes(): Stroke[] {
    const rings = this.chosen.things.slice(0, RINGS).map((t) => ({ points: ringAbout(t.at, 0.3 + 0.15 * t.size) }));
    if (!this.line || this.line.length < 2) return rings;
    const spots = this.chosen.form === 'lasso' ? [...this.line, this.line[0] as Spot] : corners(this.line);
    return [...rings, { points: this.field.spotsOn(spots), dashed: true }];
  }

  pointer(gesture: Gesture): Outcome {
    if (gesture.kind === 'press') return this.press(gesture.mark, gesture.spot);
    if (gesture.kind === 'drag') return this.drag(gesture.spot);
    if (gesture.kind === 'release') return this.release();
    if (gesture.kind !== 'click') return 'nothing';
    if (this.changes) return 'commit';
    const found = this.field.standsAt(gesture.spot, this.layer);
    this.chosen.things = found ? [found] : [];
    return 'shown';
  }

  private press(mark: string, spot: Spot): Outcome {
    if (mark !== MIDDLE) {
      this.line = [spot];
      return 'shown';
    }
    const ground = this.field.groundAt(spot);
    if (!ground) return 'nothing';
    this.begin();
    this.grip = [ground.x - this.by[0], ground.z - this.by[1]];
    return 'shown';
  }

  /** What is changed is told from where they are now. */
  private begin() {
    if (!this.changes) this.from = this.chosen.middle;
  }

  private drag(spot: Spot): Outcome {
    if (this.line) {
      this.line.push(spot);
      return 'shown';
    }
    const ground = this.grip && this.field.groundAt(spot);
    if (!ground || !this.grip) return 'nothing';
    this.by = [tidy(ground.x - this.grip[0]), tidy(ground.z - this.grip[1])];
    return 'draft';
  }

  private release(): Outcome {
    if (this.line) {
      const line = this.line;
      this.line = null;
      const [first] = line as [Spot];
      if (line.every((s) => Math.hypot(s.x - first.x, s.y - first.y) < STILL)) {
        const found = this.field.standsAt(first, this.layer);
        if (found) this.chosen.flip(found);
        return 'shown';
      }
      const about = this.chosen.form === 'lasso' ? line : corners(line);
      const told = this.chosen.add(this.field.standing(this.layer, (spot) => holds(about, spot)));
      if (told) this.tell(told);
      return 'shown';
    }
    this.grip = null;
    return this.changes ? 'commit' : 'nothing';
  }

  key(stroke: KeyStroke): Outcome {
    if (!this.chosen.things.length) return 'nothing';
    if (stroke.kind === 'remove') {
      this.done = { do: 'remove' };
      return 'commit';
    }
    if (stroke.kind !== 'nudge') return 'nothing';
    this.begin();
    const step = stroke.fine ? NUDGE / 5 : NUDGE;
    this.by = [tidy(this.by[0] + stroke.right * step), tidy(this.by[1] - stroke.up * step)];
    return 'draft';
  }

  wheel(key: WheelKey, steps: number): Outcome {
    if (!this.chosen.things.length) return 'nothing';
    this.begin();
    const { done } = this;
    const { turn, size, lift } = this.hand.steps;
    const what = OF_KEY[key];
    if (what === 'turn') done.turn = tidy((done.turn ?? 0) + steps * turn);
    if (what === 'size') done.size = tidy((done.size ?? 1) * (1 + size / 100) ** steps);
    if (what === 'lift') done.lift = tidy((done.lift ?? 0) + (steps * lift) / 100);
    if (what === 'which') {
      const all = this.variants();
      const now = done.asset !== undefined ? done : this.chosen.things[0];
      const at = all.findIndex((v) => v.asset === now?.asset && v.seed === now?.seed);
      Object.assign(done, all[(at + Math.sign(steps) + all.length) % all.length]);
    }
    return 'draft';
  }

  again(): Outcome {
    return this.changes ? 'draft' : 'nothing';
  }

  adjusting(): Adjusting | null {
    if (!this.changes) return null;
    const { things, about } = this.chosen;
    const moved = this.by[0] !== 0 || this.by[1] !== 0;
    const change: Change = { ...(moved ? { move: this.by } : {}), ...this.done, relative: true, about };
    return { op: 'adjust', id: this.layer, things: things.map((t) => t.id), change };
  }

  draft() {
    return null;
  }

  commit(): (Edit | Adjusting)[] {
    const adjusting = this.adjusting();
    this.putBack();
    return adjusting ? [adjusting] : [];
  }

  private putBack() {
    this.line = this.grip = null;
    this.by = [0, 0];
    this.done = {};
  }

  /** What is changed is put back; where nothing is, the chosen are let go. */
  cancel() {
    if (!this.changes && !this.line) this.chosen.things = [];
    this.putBack();
  }
}

/** The corners of the rectangle between the ends of a line. */
export function corners(line: Spot[]): Spot[] {
  const [a, b] = [line[0] as Spot, line.at(-1) as Spot];
  return [a, { x: b.x, y: a.y }, b, { x: a.x, y: b.y }, a];
}

/** Whether a spot lies within an outline, by the even-odd rule. */
export function holds(outline: Spot[], { x, y }: Spot): boolean {
  let within = false;
  for (let k = 0, j = outline.length - 1; k < outline.length; j = k++) {
    const [a, b] = [outline[k] as Spot, outline[j] as Spot];
    if (a.y > y !== b.y > y && x < a.x + ((y - a.y) * (b.x - a.x)) / (b.y - a.y)) within = !within;
  }
  return within;
}
