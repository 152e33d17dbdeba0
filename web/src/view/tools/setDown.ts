/** Sets things down one by one: what is in hand stands under the pointer, on whatever is there. */
import type { Edit } from '../../state/editQueue';
import { OF_KEY, type Hand, type SetDown } from '../../state/hand.svelte';
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
import type { Flat, Label, Stroke, Terrain, Tool, WheelKey } from './tool';

const NEAR = 0.02; // metres between a thing that stands and where it is kept

/** What it needs to know of its layer. */
export interface Setting {
  /** The parameter that holds what is set down. */
  path: string;
  placed: () => SetDown[];
  seeds: (asset: string) => number[];
}

export class SetDownTool implements Tool {
  readonly id = 'set down';
  readonly cursor = 'crosshair';
  readonly sets = true;
  readonly alone = false;
  private seat: Seat | null = null;
  /** One that stood already, with the id that it keeps. */
  private lifted: SetDown | null = null;
  private gone = false; // it is taken away
  private up: Flat = [0, 0]; // of what is in hand, where it does not stand square to what it is set on
  private own: string;

  constructor(
    private readonly terrain: Terrain,
    private readonly layer: string,
    private readonly hand: Hand,
    private readonly setting: Setting,
    private readonly newId: () => string = () => crypto.randomUUID().slice(0, 8),
  ) {
    this.own = newId();
  }

  hints(): Hint[] {
    return [
      ['click', 'set down'],
      BY_WHEEL,
      ['right click', 'take up'],
      ...(this.lifted ? ([['Delete', 'away with it']] as Hint[]) : []),
      ['Esc', this.lifted ? 'put it back' : 'leave'],
    ];
  }

  marks() {
    return [];
  }

  /** A small ring where it stands, and a line down to what is beneath. */
  strokes(): Stroke[] {
    if (!this.seat) return [];
    const { point } = this.seat;
    const ring = ringAbout(point, 0.25);
    const { lift } = this.hand;
    const up = { ...point, y: point.y + lift };
    return Math.abs(lift) > 0.01 ? [{ points: ring }, { points: [point, up], dashed: true }] : [{ points: ring }];
  }

  labels(): Label[] {
    const { lift } = this.hand;
    if (!this.seat || Math.abs(lift) <= 0.01) return [];
    const { point } = this.seat;
    return [{ text: `${lift > 0 ? '+' : '−'}${Math.abs(tidy(lift))} m`, at: { ...point, y: point.y + lift } }];
  }

  pointer(gesture: Gesture): Outcome {
    if (gesture.kind === 'lift') return this.takeUp(gesture.spot);
    if (gesture.kind !== 'hover' && gesture.kind !== 'click') return 'nothing';
    if (!this.hand.asset) return 'nothing';
    // not on itself, which stands where the last draft has it
    const own = (at: Point) => !this.kept(at);
    this.seat = this.terrain.seatAt(gesture.spot, this.layer, own) ?? (gesture.kind === 'click' ? null : this.seat);
    if (!this.seat) return 'nothing';
    return gesture.kind === 'click' ? 'commit' : 'draft';
  }

  /** What is kept and stands there. */
  private kept({ x, z }: Point): SetDown | undefined {
    return this.setting.placed().find((t) => t.id !== this.own && Math.hypot(t.at[0] - x, t.at[1] - z) < NEAR);
  }

  get holds() {
    return this.lifted !== null;
  }

  private takeUp(spot: { x: number; y: number }): Outcome {
    const found = this.terrain.standsAt(spot, this.layer)?.at;
    const thing = found && this.kept(found);
    if (!found || !thing) return 'nothing';
    this.lifted = thing;
    this.own = thing.id;
    this.hand.takeUp(thing, this.setting.seeds(thing.asset));
    const ground = this.terrain.height(found.x, found.z);
    this.up = thing.up;
    const level = Math.sqrt(Math.max(0, 1 - thing.up[0] ** 2 - thing.up[1] ** 2));
    // it stays where it is until the pointer moves
    this.seat = {
      point: { x: found.x, y: ground + thing.lift, z: found.z },
      normal: { x: thing.up[0], y: level, z: thing.up[1] },
    };
    this.hand.lift = 0;
    return 'draft';
  }

  key(stroke: KeyStroke): Outcome {
    if (stroke.kind === 'remove' && this.lifted) {
      this.gone = true;
      return 'commit';
    }
    if (stroke.kind !== 'back') return 'nothing';
    this.hand.reset();
    this.up = [0, 0];
    return this.again();
  }

  again(): Outcome {
    return this.seat ? 'draft' : 'nothing';
  }

  wheel(key: WheelKey, steps: number): Outcome {
    this.hand.change(OF_KEY[key], steps);
    return this.again();
  }

  private value(): Omit<SetDown, 'id'> | null {
    const { hand, seat } = this;
    if (!seat || !hand.asset) return null;
    const { point, normal } = seat;
    const [x, z] = [tidy(point.x), tidy(point.z)];
    return {
      asset: hand.asset,
      seed: hand.seedOf(this.setting.seeds(hand.asset)),
      at: [x, z],
      lift: fine(point.y - this.terrain.height(x, z) + hand.lift),
      turn: hand.turn,
      up: hand.square ? [fine(normal.x), fine(normal.z)] : this.up,
      size: hand.size,
      tall: this.lifted?.tall ?? 1,
      ...(this.lifted?.mirrored ? { mirrored: true } : {}),
    };
  }

  private get path() {
    return `${this.setting.path}#${this.own}`;
  }

  draft() {
    const value = this.value();
    return value && { path: this.path, value };
  }

  commit(): Edit[] {
    const value = this.gone ? null : this.value();
    if (!value && !this.lifted) return [];
    const edit: Edit = { op: 'layer', id: this.layer, parameters: { [this.path]: value } };
    this.cancel();
    this.hand.draw();
    return [edit];
  }

  cancel() {
    this.gone = false;
    this.lifted = null;
    this.seat = null;
    this.up = [0, 0];
    this.own = this.newId();
  }
}
