/** Takes up single placements of a rule, and keeps what is done to them: moved, turned, sized, lifted, in another variant, gone. */
import type { Edit } from '../../state/editQueue';
import { OF_KEY, type Hand, type Touch } from '../../state/hand.svelte';
import {
  BY_WHEEL,
  fine,
  ringAbout,
  tidy,
  type Gesture,
  type Hint,
  type KeyStroke,
  type Outcome,
  type Point,
  type Seat,
} from './tool';
import type { Spot, Stood, Stroke, Terrain, Tool, WheelKey } from './tool';

const LEVEL = 0.03; // metres between heights that are taken to be one
const SUNK = 1; // metres that something may be sunk by its rule, and is so wherever it is put

const given = (v: unknown) => v !== undefined && v !== null;

/** What it needs to know of its layer. */
export interface Rule {
  /** The parameter that holds the touches. */
  path: string;
  touches: () => Touch[];
  /** What one of the layer may be, in order. */
  variants: () => { asset: string; seed: number }[];
}

export class TouchTool implements Tool {
  readonly id = 'touch';
  readonly cursor = 'pointer';
  readonly sets = true;
  readonly alone = false;
  private stood: Stood | null = null;
  private seat: Seat | null = null; // where it has been moved to
  private trail: Point[] = []; // where it stood, and where drafts have lately had it
  private drafted = false;
  private gone = false;
  private back = false; // it is as its rule has it again

  constructor(
    private readonly terrain: Terrain,
    private readonly layer: string,
    private readonly hand: Hand,
    private readonly rule: Rule,
  ) {}

  get holds() {
    return this.stood !== null;
  }

  hints(): Hint[] {
    if (!this.stood)
      return [
        ['click', 'take one up'],
        ['drag', 'turn the view'],
        ['Esc', 'leave'],
      ];
    return [
      ['click', 'set down'],
      BY_WHEEL,
      ['Delete', 'away with it'],
      ['Backspace', 'as its rule has it'],
      ['Esc', 'put it back'],
    ];
  }

  marks() {
    return [];
  }

  /** A ring about its foot. */
  strokes(): Stroke[] {
    if (!this.stood) return [];
    return [{ points: ringAbout(this.seat?.point ?? this.stood.at, 0.4) }];
  }

  pointer(gesture: Gesture): Outcome {
    if (gesture.kind === 'click' || gesture.kind === 'lift') return this.stood ? 'commit' : this.takeUp(gesture.spot);
    if (gesture.kind !== 'hover' || !this.stood) return 'nothing';
    const own = (at: Point) => this.stood !== null && this.isOwn(at);
    const seat = this.terrain.seatAt(gesture.spot, this.layer, own);
    if (!seat) return 'nothing';
    this.seat = seat;
    this.drafted = true;
    this.trail = [...this.trail.slice(0, 1), ...this.trail.slice(1).slice(-20), seat.point];
    return 'draft';
  }

  /** Whether what stands there is what is in hand, as it was or as a draft has it. */
  private isOwn({ x, z }: Point): boolean {
    return this.trail.some((p) => Math.hypot(p.x - x, p.z - z) < 0.02);
  }

  private takeUp(spot: Spot): Outcome {
    const found = this.terrain.standsAt(spot, this.layer);
    if (!found) return 'nothing';
    this.stood = found;
    this.trail = [found.at];
    const { hand } = this;
    Object.assign(hand, { asset: found.asset, turn: found.turn, size: found.size, lift: 0 });
    hand.which = this.rule.variants().findIndex((v) => v.asset === found.asset && v.seed === found.seed);
    return 'shown';
  }

  key(stroke: KeyStroke): Outcome {
    if (!this.stood) return 'nothing';
    if (stroke.kind === 'remove') this.gone = true;
    else if (stroke.kind === 'back') this.back = true;
    else return 'nothing';
    return 'commit';
  }

  again(): Outcome {
    if (!this.stood || (!this.drafted && !this.change())) return 'nothing';
    this.drafted = true; // also what is changed back is to be seen
    return 'draft';
  }

  wheel(key: WheelKey, steps: number): Outcome {
    if (!this.stood) return 'nothing';
    this.hand.change(OF_KEY[key], steps);
    return this.again();
  }

  /** What is done to it, besides what had been done before; null where nothing is. */
  private change(): Partial<Touch> | null {
    const { stood, seat, hand } = this;
    if (!stood) return null;
    if (this.gone) return { removed: true };
    const out: Partial<Touch> = {};
    if (seat) {
      const [x, z] = [tidy(seat.point.x), tidy(seat.point.z)];
      out.at = [x, z];
      const above = seat.point.y - this.terrain.height(x, z);
      if (Math.abs(above) <= LEVEL && (given(this.before.lift) || given(this.before.ground)))
        out.lift = null; // dropped: as its rule has it again
      else if (Math.abs(above) > LEVEL || this.sunk === null) out.lift = fine(above + (this.sunk ?? 0));
    }
    if (Math.abs(hand.lift) > 1e-6) out.lift = fine((out.lift ?? (seat ? (this.sunk ?? 0) : this.above)) + hand.lift);
    if ('lift' in out && given(this.before.ground)) out.ground = null; // it stands on the ground again
    if (Math.abs(hand.turn - stood.turn) > 1e-6) Object.assign(out, { turn: tidy(hand.turn), up: stood.up.map(fine) });
    if (Math.abs(hand.size - stood.size) > 1e-6) out.size = hand.size;
    const variants = this.rule.variants();
    const n = variants.length;
    const which = variants[((hand.which % n) + n) % n];
    if (which && (which.asset !== stood.asset || which.seed !== stood.seed))
      Object.assign(out, { asset: which.asset, seed: which.seed });
    return Object.keys(out).length ? out : null;
  }

  /** Metres that it stood above the ground. */
  private get above(): number {
    const { at } = this.stood as Stood;
    return at.y - this.terrain.height(at.x, at.z);
  }

  /** Metres, 0 or less, by which its rule sinks it into the ground; null where it stood on something else, or a touch had put it there. */
  private get sunk(): number | null {
    const { above } = this;
    return above > LEVEL || above < -SUNK || given(this.before.lift) ? null : Math.min(0, above);
  }

  /** What had been done to it before. */
  private get before(): Partial<Touch> {
    return this.rule.touches().find((t) => t.id === this.stood?.id) ?? { of: this.stood?.asset };
  }

  private get path() {
    return `${this.rule.path}#${this.stood?.id}`;
  }

  private value(): Partial<Touch> | null {
    if (!this.stood) return null;
    const value = { ...this.before, ...this.change() };
    delete value.id;
    return value;
  }

  draft() {
    const value = this.drafted || this.change() ? this.value() : null;
    return value && { path: this.path, value };
  }

  commit(): Edit[] {
    const before = this.stood && this.rule.touches().some((t) => t.id === this.stood?.id);
    const value = this.back || !this.change() ? null : this.value();
    const edit: Edit = { op: 'layer', id: this.layer, parameters: { [this.path]: value } };
    const does = value !== null || (this.back && before);
    this.cancel();
    return does ? [edit] : [];
  }

  cancel() {
    this.stood = this.seat = null;
    this.gone = this.back = this.drafted = false;
    this.trail = [];
  }
}
