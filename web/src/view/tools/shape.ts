/** Moves, adds and removes the points of a layer that is there: of its line or outline, and of the holes in that. */
import type { Layer } from '../../api/client';
import type { Edit } from '../../state/editQueue';
import {
  knotAt,
  lifted,
  tidy,
  type Flat,
  type Gesture,
  type Hint,
  type KeyStroke,
  type Knot,
  type Mark,
  type Outcome,
} from './tool';
import type { Point, Stroke, Terrain, Tool } from './tool';

/** Where a layer keeps its points, and what they are called. */
export interface Shape {
  path: string;
  holes?: string; // the parameter that holds those of holes, where it can have any
  closed: (layer: Layer) => boolean;
  least: number;
  most: number;
  point: string;
  /** What lies about its points, as lines. */
  about?: (layer: Layer, points: Flat[]) => Point[][];
}

const OUTER = -1; // the ring that is no hole

/** Which point of which ring a mark is. */
interface Place {
  ring: number;
  i: number;
}

export class ShapeTool implements Tool {
  readonly id = 'shape';
  readonly cursor = '';
  readonly sets = false;
  readonly alone = false;
  focus?: string;
  private live: { ring: number; points: Knot[] } | null = null;
  private held: Place | null = null;

  constructor(
    private readonly terrain: Terrain,
    private readonly layer: () => Layer | undefined,
    private readonly shape: Shape,
    private readonly mayEdit: () => boolean,
  ) {}

  private get holes(): Knot[][] {
    return (this.shape.holes ? (this.layer()?.parameters[this.shape.holes] ?? []) : []) as Knot[][];
  }

  private points(ring: number): Knot[] {
    if (this.live?.ring === ring) return this.live.points;
    return ring === OUTER ? ((this.layer()?.parameters[this.shape.path] ?? []) as Knot[]) : (this.holes[ring] ?? []);
  }

  private closed(ring: number): boolean {
    const layer = this.layer();
    return ring !== OUTER || Boolean(layer && this.shape.closed(layer));
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
    if (!this.mayEdit()) return [];
    return [OUTER, ...this.holes.keys()].flatMap((ring) => this.marksOf(ring));
  }

  private marksOf(ring: number): Mark[] {
    const { shape } = this;
    const points = this.points(ring);
    const of = ring === OUTER ? '' : ` of hole ${ring + 1}`;
    const out: Mark[] = [];
    points.forEach((p, i) => {
      out.push({ key: keyOf('point', { ring, i }), label: `${shape.point} ${i + 1}${of}`, at: lifted(this.terrain, p) }); // prettier-ignore
      const next = points[i + 1] ?? (this.closed(ring) ? points[0] : undefined);
      if (this.live || !next || points.length >= shape.most) return;
      const label = `add a ${shape.point} after ${i + 1}${of}`;
      out.push({ key: keyOf('middle', { ring, i }), label, at: lifted(this.terrain, between(p, next)), adds: true });
    });
    return out;
  }

  strokes(): Stroke[] {
    const layer = this.layer();
    if (!layer) return [];
    const { live } = this;
    const about = this.shape.about?.(layer, this.points(OUTER).map(flat));
    if (about) return about.map((points) => ({ points, dashed: true }));
    if (!live || !this.closed(live.ring)) return this.terrain.lines(layer.id).map((points) => ({ points }));
    return [{ points: [...live.points, ...live.points.slice(0, 1)].map((p) => lifted(this.terrain, flat(p))) }];
  }

  pointer(gesture: Gesture): Outcome {
    if (gesture.kind === 'press') {
      if (!this.mayEdit()) return 'nothing';
      const place = placeOf(gesture.mark);
      if (gesture.mark.startsWith('middle')) this.insert(place);
      else this.held = place;
      return 'shown';
    }
    if (gesture.kind === 'drag' && this.held) {
      const ground = this.terrain.groundAt(gesture.spot);
      if (!ground) return 'nothing';
      this.put(this.held, knotAt(this.terrain, ground));
      return 'draft';
    }
    if (gesture.kind === 'release') return this.live ? 'commit' : 'nothing';
    return 'nothing';
  }

  key(stroke: KeyStroke): Outcome {
    if (stroke.kind === 'back' || !this.mayEdit()) return 'nothing';
    if (stroke.mark.startsWith('middle') && stroke.kind !== 'add') return 'nothing'; // no point is there yet
    const place = placeOf(stroke.mark);
    const points = this.points(place.ring);
    const at = points[place.i];
    if (!at) return 'nothing';
    if (stroke.kind === 'nudge') {
      const step = stroke.fine ? 0.1 : 1;
      const to: Flat = [tidy(at[0] + stroke.right * step), tidy(at[1] - stroke.up * step)];
      this.put(place, this.terrain.aloft ? [...to, ...own(at)] : to);
      return 'draft';
    }
    if (stroke.kind === 'add') {
      if (points.length >= this.shape.most) return 'nothing';
      this.insert(place);
      this.focus = keyOf('point', { ...place, i: place.i + 1 });
      return 'commit';
    }
    if (points.length <= this.shape.least) return 'nothing';
    const left = points.filter((_, k) => k !== place.i);
    this.live = { ring: place.ring, points: left };
    this.focus = keyOf('point', { ...place, i: Math.min(place.i, left.length - 1) });
    return 'commit';
  }

  /** A point elsewhere, with what it has of its own; where points may be aloft, that is its height. */
  private put({ ring, i }: Place, to: Knot) {
    const points = this.points(ring).map((p, k): Knot =>
      k === i ? (this.terrain.aloft ? to : [...to, ...own(p)]) : p,
    );
    this.live = { ring, points };
  }

  /** One more behind a point, in hand at once. */
  private insert({ ring, i }: Place) {
    const points = this.points(ring);
    const last = points.length - 1;
    const [a, b] = [points[i], points[i + 1] ?? (this.closed(ring) ? points[0] : undefined)];
    // behind the end of an open line it goes on as it came
    const before = points[last - 1];
    const at = a && (b ? between(a, b) : before ? ([2 * a[0] - before[0], 2 * a[1] - before[1]] as Flat) : flat(a));
    if (!at) return;
    this.live = { ring, points: [...points.slice(0, i + 1), [tidy(at[0]), tidy(at[1])], ...points.slice(i + 1)] };
    this.held = { ring, i: i + 1 };
  }

  draft() {
    const { live, shape } = this;
    if (!live) return null;
    if (live.ring === OUTER || !shape.holes) return { path: shape.path, value: live.points };
    return { path: shape.holes, value: this.holes.map((h, k) => (k === live.ring ? live.points : h)) };
  }

  commit(): Edit[] {
    const layer = this.layer();
    const change = this.draft();
    this.cancel();
    return layer && change ? [{ op: 'layer', id: layer.id, parameters: { [change.path]: change.value } }] : [];
  }

  cancel() {
    this.live = null;
    this.held = null;
  }
}

const keyOf = (what: string, { ring, i }: Place) => (ring === OUTER ? `${what} ${i}` : `${what} ${i} ${ring}`);
const placeOf = (mark: string): Place => {
  const [, i, ring] = mark.split(' ');
  return { i: Number(i), ring: ring === undefined ? OUTER : Number(ring) };
};
const flat = (p: Knot): Flat => [p[0], p[1]];
const own = (p: Knot) => p.slice(2);
const between = (a: Knot, b: Knot): Flat => [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
