/** Chooses faces of a building in the view: pulls one out by its dot, moves the joints of its cells, splits a cell where it is clicked. */
import * as THREE from 'three';
import type { Edit } from '../../state/editQueue';
import {
  cellAt,
  cornersOf,
  faceName,
  isGable,
  splitAt,
  withJoint,
  withPiece,
  withPull,
  withSplit,
  within,
  withoutJoint,
  type FaceEdit,
  type Facing,
} from '../../state/facades';
import type { Turntable } from '../turntable';
import {
  tidy,
  type Gesture,
  type Hint,
  type KeyStroke,
  type Mark,
  type Outcome,
  type Spot,
  type Stroke,
  type Tool,
} from './tool';

/** The cell that is chosen, in the view and in the elevation alike. */
export interface Picked {
  face: string;
  cell: number;
}

/** A building on the bench. */
export interface House {
  asset: string;
  faces: Facing[];
  edits: FaceEdit[];
  picked: Picked | null;
  mayEdit: boolean;
}

const BEFORE = 1.2; // metres that pieces stand before their face, at most
const DOT = 0.7; // metres before a face that its dot is
const LEAST = -20; // metres that a face is pulled out
const MOST = 20;

/** Metres along a face, and up from its foot, where a ray meets its plane from outside; null where it does not meet the face. */
export function met(ray: THREE.Ray, f: Facing): { along: number; up: number; away: number } | null {
  const out = outOf(f);
  const through = placeOn(f, 0, 0);
  const facing = -ray.direction.dot(out);
  if (facing < 1e-6) return null;
  const away = ray.origin.clone().sub(through).dot(out) / facing;
  if (away <= 0) return null;
  const at = ray.at(away, new THREE.Vector3()).sub(through);
  const along = at.x * f.way[0] + at.z * f.way[1];
  return within(f, along, at.y) ? { along, up: at.y, away } : null;
}

/** Outwards from a face. */
export const outOf = (f: Facing) => new THREE.Vector3(-f.way[1], 0, f.way[0]);

/** A place on a face, or so far before it. */
export const placeOn = (f: Facing, along: number, up: number, before = 0) =>
  new THREE.Vector3(f.at[0] + along * f.way[0], f.low + up, f.at[1] + along * f.way[1]).addScaledVector(
    outOf(f),
    before,
  );

export class FaceTool implements Tool {
  readonly id = 'faces';
  readonly sets = true;
  readonly alone = false;
  splitting = false; // whether a click splits
  private over: { face: Facing; along: number } | null = null; // under the pointer
  private held: { face: Facing; joint: number; edits: FaceEdit[] } | null = null;
  private next: FaceEdit[] | null = null;

  constructor(
    private readonly table: Turntable,
    private readonly house: () => House | null,
    private readonly pick: (picked: Picked | null) => void,
  ) {}

  get cursor() {
    return this.over ? (this.splitting ? 'crosshair' : 'pointer') : '';
  }

  hints(): Hint[] {
    if (this.splitting)
      return [
        ['click', 'split a cell there'],
        ['Esc', 'leave'],
      ];
    if (!this.chosen) return [['click', 'choose a face']];
    if (isGable(this.chosen))
      return [
        ['1–9', 'swap the piece'],
        ['Esc', 'leave'],
      ];
    return [
      ['drag the dot', 'pull the face'],
      ['drag a joint', 'widen a cell'],
      ['1–9', 'swap the piece'],
      ['Esc', 'leave'],
    ];
  }

  /** The face that is chosen. */
  private get chosen(): Facing | undefined {
    const house = this.house();
    return house?.faces.find((f) => f.id === house.picked?.face);
  }

  /** The face under a spot of the view that nothing else stands before. */
  private under(spot: Spot): { face: Facing; along: number } | null {
    const ray = this.table.stage.ray(spot);
    let found: { face: Facing; along: number } | null = null;
    let nearest = this.table.distance(ray) + BEFORE;
    for (const face of this.house()?.faces ?? []) {
      const at = met(ray, face);
      if (!at || at.away > nearest) continue;
      nearest = at.away;
      found = { face, along: at.along };
    }
    return found;
  }

  marks(): Mark[] {
    const face = this.chosen;
    if (!face || isGable(face) || this.splitting || !this.house()?.mayEdit) return [];
    const middle = 0.5 * face.wide;
    const joints = face.cells.slice(0, -1).map((c, k) => ({
      key: `joint ${k}`,
      label: `joint behind cell ${k + 1} of ${faceName(face)}`,
      at: placeOn(face, c.end, 0.5 * face.high, 0.02),
    }));
    return [
      ...joints,
      { key: 'pull', label: `pull ${faceName(face)}`, at: placeOn(face, middle, 0.72 * face.high, DOT) },
    ];
  }

  strokes(): Stroke[] {
    const out: Stroke[] = [];
    const face = this.chosen;
    const ring = (f: Facing, corners: [number, number][]) =>
      [...corners, ...corners.slice(0, 1)].map(([s, up]) => placeOn(f, s, up, 0.03));
    const around = (f: Facing) => ring(f, cornersOf(f));
    if (face) {
      out.push({ points: around(face) });
      const cell = face.cells[this.house()?.picked?.cell ?? 0];
      if (cell && face.cells.length > 1) {
        const { start, end } = cell;
        out.push({ points: ring(face, [[start, 0], [end, 0], [end, face.high], [start, face.high]]), dashed: true }); // prettier-ignore
      }
      if (!this.splitting && !isGable(face)) {
        const foot = placeOn(face, 0.5 * face.wide, 0.72 * face.high);
        out.push({ points: [foot, foot.clone().addScaledVector(outOf(face), DOT)] });
      }
    }
    const { over } = this;
    if (over && over.face.id !== face?.id) out.push({ points: around(over.face), dashed: true });
    const at = over && this.splitting ? splitAt(over.face, cellAt(over.face, over.along), over.along) : null;
    if (over && at !== null)
      out.push({ points: [placeOn(over.face, at, 0, 0.03), placeOn(over.face, at, over.face.high, 0.03)] });
    return out;
  }

  labels() {
    const { held, next } = this;
    if (!held || held.joint >= 0 || !next) return [];
    const out = next.find((e) => e.id === held.face.id)?.out ?? 0;
    const face = this.chosen ?? held.face;
    return [{ text: `out ${out.toFixed(2)} m`, at: placeOn(face, 0.5 * face.wide, 0.72 * face.high, DOT) }];
  }

  pointer(gesture: Gesture): Outcome {
    const house = this.house();
    if (!house) return 'nothing';
    if (gesture.kind === 'hover') {
      const had = this.over?.face.id;
      this.over = this.under(gesture.spot);
      return this.splitting || had !== this.over?.face.id ? 'shown' : 'nothing';
    }
    if (gesture.kind === 'click') return this.click(house, gesture.spot);
    if (gesture.kind === 'press') {
      const face = this.chosen;
      if (!face) return 'nothing';
      this.held = { face, joint: gesture.mark === 'pull' ? -1 : Number(gesture.mark.slice(6)), edits: house.edits };
      this.next = null;
      return 'shown';
    }
    if (gesture.kind === 'drag' && this.held) {
      this.next = this.dragged(gesture.spot) ?? this.next;
      return this.next ? 'draft' : 'nothing';
    }
    return gesture.kind === 'release' && this.next ? 'commit' : 'nothing';
  }

  private click(house: House, spot: Spot): Outcome {
    const found = this.under(spot);
    const cell = found ? cellAt(found.face, found.along) : 0;
    if (!found || !this.splitting) {
      this.pick(found && { face: found.face.id, cell });
      return 'shown';
    }
    this.next = house.mayEdit ? withSplit(house.edits, found.face, cell, found.along) : null;
    this.pick({ face: found.face.id, cell });
    return this.next ? 'commit' : 'shown';
  }

  /** Metres that a pull comes to, or where a joint comes to lie. */
  private dragged(spot: Spot): FaceEdit[] | null {
    if (!this.held) return null;
    const { face, joint, edits } = this.held;
    const ray = this.table.stage.ray(spot);
    if (joint >= 0) {
      const plane = new THREE.Plane().setFromNormalAndCoplanarPoint(outOf(face), placeOn(face, 0, 0));
      const at = ray.intersectPlane(plane, new THREE.Vector3())?.sub(placeOn(face, 0, 0));
      return at ? withJoint(edits, face, joint, at.x * face.way[0] + at.z * face.way[1]) : null;
    }
    // where the line outwards from the face comes nearest to the ray
    const [out, foot] = [outOf(face), placeOn(face, 0.5 * face.wide, 0.72 * face.high, DOT)];
    const [b, w] = [out.dot(ray.direction), foot.sub(ray.origin)];
    const square = 1 - b * b;
    return square < 1e-3 ? null : this.pulled((b * w.dot(ray.direction) - w.dot(out)) / square);
  }

  private pulled(by: number): FaceEdit[] | null {
    if (!this.held) return null;
    const { face, edits } = this.held;
    return withPull(edits, face.id, Math.min(MOST, Math.max(LEAST, Math.round((face.out + by) * 20) / 20)));
  }

  key(stroke: KeyStroke): Outcome {
    const house = this.house();
    const face = this.chosen;
    if (!house?.mayEdit || !face) return 'nothing';
    if (stroke.kind === 'remove') {
      if (!stroke.mark.startsWith('joint')) return this.fill(null);
      this.next = withoutJoint(house.edits, face, Number(stroke.mark.slice(6)));
      return this.next ? 'commit' : 'nothing';
    }
    if (stroke.kind !== 'nudge') return 'nothing';
    const steps = Math.abs(stroke.up) > Math.abs(stroke.right) ? stroke.up : stroke.right;
    const step = steps * (stroke.fine ? 0.01 : 0.05);
    if (stroke.mark === 'pull') this.next = withPull(house.edits, face.id, tidy(face.out + step));
    else {
      const joint = Number(stroke.mark.slice(6));
      this.next = withJoint(house.edits, face, joint, (face.cells[joint]?.end ?? 0) + step);
    }
    return 'draft';
  }

  /** Fill the cell that is chosen; nothing where none is. */
  fill(piece: string | null): Outcome {
    const house = this.house();
    if (!house?.picked || !house.mayEdit) return 'nothing';
    this.next = withPiece(house.edits, house.picked.face, house.picked.cell, piece);
    return 'commit';
  }

  draft() {
    return this.next && { path: 'faces', value: this.next };
  }

  commit(): Edit[] {
    const house = this.house();
    const { next } = this;
    this.held = this.next = null;
    return house && next ? [{ op: 'asset', id: house.asset, parameters: { faces: next } }] : [];
  }

  cancel() {
    this.held = this.next = null;
  }

  /** From now on a click splits, or chooses. */
  split(on: boolean): Outcome {
    this.splitting = on;
    return 'shown';
  }

  /** Leaves splitting, or else the face that is chosen. */
  back(): Outcome {
    if (this.splitting) return this.split(false);
    this.pick(null);
    return 'shown';
  }
}
