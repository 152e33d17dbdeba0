import { describe, expect, it } from 'vitest';
import type { Layer } from '../../api/client';
import { crossed, pathOf } from '../overlay';
import { BrushTool, type Brush } from './brush';
import { DrawTool } from './draw';
import { ShapeTool } from './shape';
import { withThings, type Flat, type Knot, type Seat, type Spot, type Terrain } from './tool';

/** Ground on which a spot's pixels are metres; left of 0 is no ground. */
const terrain: Terrain = {
  groundAt: ({ x, y }: Spot) => (x < 0 ? null : { x, y: 0, z: y }),
  height: () => 2,
  lines: () => [],
  seatAt: () => null,
  standsAt: () => null,
};
const click = (x: number, y: number) => ({ kind: 'click' as const, spot: { x, y } });

describe('drawing', () => {
  const edit = (points: Knot[]) => ({
    op: 'addLayer' as const,
    kind: 'path',
    name: 'New path',
    parameters: { points },
  });
  const wanted = { least: 2, point: 'point', whole: 'a path', edit };

  it('sets points on the ground, each a little way from the last', () => {
    const tool = new DrawTool(terrain, wanted);
    [click(1, 2), click(1.1, 2), click(-5, 0), click(8, 2)].forEach((g) => tool.pointer(g));
    expect(tool.marks().map((m) => m.at)).toEqual([
      { x: 1, y: 2.2, z: 2 },
      { x: 8, y: 2.2, z: 2 },
    ]);
    expect(tool.commit()).toEqual([
      { op: 'addLayer', kind: 'path', name: 'New path', parameters: { points: [[1, 2], [8, 2]] } }, // prettier-ignore
    ]);
  });

  it('sets points on what stands over the ground, where a layer asks for it', () => {
    const wall = (spot: Spot, layer: string): Seat | null =>
      spot.x < 0 ? null : { point: { x: spot.x, y: 3, z: layer === 'ivy' ? 7 : 0 }, normal: { x: 0, y: 0, z: 1 } };
    const tool = new DrawTool(withThings({ ...terrain, seatAt: wall }, 'ivy'), { ...wanted, least: 1 });
    [click(1, 2), click(-5, 0), click(4, 5)].forEach((g) => tool.pointer(g));
    expect(tool.commit()).toMatchObject([{ parameters: { points: [[1, 7, 1], [4, 7, 1]] } }]); // prettier-ignore
  });

  it('takes points back and says what is missing', () => {
    const tool = new DrawTool(terrain, wanted);
    [click(1, 2), click(8, 2)].forEach((g) => tool.pointer(g));
    expect(tool.key({ kind: 'back' })).toBe('shown');
    expect(() => tool.commit()).toThrow('a path takes 2 points or more');
  });

  it('shows the line to where the pointer is', () => {
    const tool = new DrawTool(terrain, wanted);
    tool.pointer(click(1, 2));
    tool.pointer({ kind: 'hover', spot: { x: 4, y: 4 } });
    expect(tool.strokes()[0]?.points.length).toBe(2);
    tool.pointer({ kind: 'hover', spot: { x: -4, y: 4 } });
    expect(tool.strokes()[0]?.points.length).toBe(1);
  });
});

describe('drawing by free hand', () => {
  const edit = (points: Knot[]) => ({ op: 'layer' as const, id: 'wood', parameters: { holes: [points] } });
  const tool = () => new DrawTool(terrain, { least: 3, point: 'corner', whole: 'a hole', edit });
  const at = (x: number, y: number) => ({ spot: { x, y } });

  it('keeps as few points as the line needs, after those that were set', () => {
    const t = tool();
    t.pointer(click(0, 0));
    t.pointer({ kind: 'press', mark: '', ...at(20, 0) });
    for (let k = 1; k <= 200; k++) t.pointer({ kind: 'drag', ...at(20 + k * 0.2, k < 100 ? k * 0.2 : 20) });
    expect(t.strokes()[0]?.points.length).toBe(202);
    expect(t.pointer({ kind: 'release', ...at(60, 20) })).toBe('shown');
    const [made] = t.commit() as unknown as { id: string; parameters: { holes: Flat[][] } }[];
    expect(made?.id).toBe('wood');
    expect(made?.parameters.holes[0]?.length).toBe(4);
    expect(made?.parameters.holes[0]?.[0]).toEqual([0, 0]);
    expect(made?.parameters.holes[0]?.at(-1)).toEqual([60, 20]);
  });

  it('says what is missing, and forgets what is given up', () => {
    const t = tool();
    t.pointer({ kind: 'press', mark: '', ...at(1, 1) });
    t.pointer({ kind: 'release', ...at(1, 1) });
    expect(() => t.commit()).toThrow('a hole takes 3 corners or more');
    t.cancel();
    expect(t.marks()).toEqual([]);
  });
});

describe('the brush', () => {
  const press = (x: number, y: number) => ({ kind: 'press' as const, mark: '', spot: { x, y } });
  const drag = (x: number, y: number) => ({ kind: 'drag' as const, spot: { x, y } });
  const release = { kind: 'release' as const, spot: { x: 0, y: 0 } };
  const values = { brush: 'raise', radius: 10, amount: 2, strength: 0.5, falloff: 0.6 };
  const set: Brush = { hint: 'raise', path: 'strokes', radius: 10, falloff: 0.6, values };
  let made = 0;
  const tool = (resize: (radius: number) => void = () => {}) => new BrushTool(terrain, "ground", () => set, resize, () => `s${made++}`); // prettier-ignore

  it('draws a ring of its reach on the ground, with its diameter', () => {
    const b = tool();
    expect(b.strokes()).toEqual([]);
    b.pointer({ kind: 'hover', spot: { x: 30, y: 40 } });
    const [ring, inner] = b.strokes();
    const reach = (p: { x: number; z: number }) => Math.hypot(p.x - 30, p.z - 40);
    expect(ring?.points.every((p) => Math.abs(reach(p) - 10) < 1e-9 && p.y === 2.2)).toBe(true);
    expect(inner?.points.every((p) => Math.abs(reach(p) - 4) < 1e-9)).toBe(true);
    expect(b.labels()).toEqual([{ text: '20 m', at: { x: 40, y: 2.2, z: 40 } }]);
    b.pointer({ kind: 'hover', spot: { x: -1, y: 0 } });
    expect(b.strokes()).toEqual([]);
  });

  it('does nothing by a right click', () => {
    const b = tool();
    expect(b.pointer({ kind: 'lift', spot: { x: 30, y: 40 } })).toBe('nothing');
    expect(b.draft()).toBeNull();
    expect(b.commit()).toEqual([]);
  });

  it('makes one stroke of a drag, shown while it goes on, as one edit of its own', () => {
    const b = tool();
    expect(b.pointer(press(0, 0))).toBe('draft');
    expect(b.pointer(drag(1, 0))).toBe('shown'); // too near to tell
    expect(b.pointer(drag(3, 0))).toBe('draft');
    const { path = '', value } = b.draft() ?? {};
    expect(path).toMatch(/^strokes#s/);
    expect(value).toEqual({ ...values, points: [[0, 0], [3, 0]] }); // prettier-ignore
    expect(b.pointer(drag(-4, 0))).toBe('shown'); // off the ground
    expect(b.pointer(release)).toBe('commit');
    expect(b.commit()).toEqual([{ op: 'layer', id: 'ground', parameters: { [path]: value } }]);
    expect(b.draft()).toBeNull();
    expect(b.pointer(release)).toBe('nothing');
    b.pointer(press(5, 5));
    expect(b.draft()?.path).not.toBe(path);
    b.cancel();
    expect(b.commit()).toEqual([]);
  });

  it('grows by the wheel with a key, within its limits, and not while it draws', () => {
    const to: number[] = [];
    const b = tool((radius) => to.push(radius));
    expect(b.wheel('y', 1)).toBe('shown');
    b.wheel('y', -1);
    b.wheel('y', 0.1);
    b.wheel('y', 99);
    b.wheel('y', -99);
    expect(to).toEqual([11, 9.09, 10.1, 400, 0.5]);
    expect(b.wheel('t', 1)).toBe('nothing');
    b.pointer(press(0, 0));
    expect(b.wheel('y', 1)).toBe('nothing');
  });

  it('dabs where the cross is set, and never has more points than a stroke may', () => {
    const b = tool();
    expect(b.pointer(click(7, 8))).toBe('commit');
    expect(b.commit()[0]).toMatchObject({ op: 'layer', id: 'ground' });
    b.pointer(press(0, 0));
    for (let k = 1; k < 3000; k++) b.pointer(drag(2 * k, 0));
    const { points } = b.draft()?.value as { points: Flat[] };
    expect(points.length).toBeLessThanOrEqual(400);
    expect(points.at(-1)).toEqual([5998, 0]);
    expect(points[0]).toEqual([0, 0]);
  });
});

describe('shaping what is more than a line', () => {
  const gap: Flat[] = [[2, 2], [4, 2], [4, 4]]; // prettier-ignore
  const layer = {
    id: 'meadow',
    parameters: { outline: [[0, 0], [10, 0, 6, 40], [10, 10]], gaps: [[[1, 1], [2, 1], [2, 2]], gap] },
  } as unknown as Layer; // prettier-ignore
  const shape = { path: 'outline', holes: 'gaps', closed: () => true, least: 3, most: 9, point: 'corner' };
  const tool = () => new ShapeTool(terrain, () => layer, shape, () => true); // prettier-ignore

  it('moves corners of holes, each in its own', () => {
    const t = tool();
    expect(t.marks().map((m) => m.label)).toContain('corner 2 of hole 2');
    t.pointer({ kind: 'press', mark: 'point 1 1', spot: { x: 4, y: 2 } });
    t.pointer({ kind: 'drag', spot: { x: 5, y: 3 } });
    expect(t.draft()).toEqual({ path: 'gaps', value: [[[1, 1], [2, 1], [2, 2]], [[2, 2], [5, 3], [4, 4]]] }); // prettier-ignore
    expect(t.commit()[0]).toMatchObject({ id: 'meadow' });
    expect(t.key({ kind: 'remove', mark: 'point 0 1' })).toBe('nothing'); // a hole has three at least
  });

  it('keeps what a point has of its own', () => {
    const t = tool();
    t.pointer({ kind: 'press', mark: 'point 1', spot: { x: 10, y: 0 } });
    t.pointer({ kind: 'drag', spot: { x: 12, y: 1 } });
    expect(t.draft()?.value).toEqual([[0, 0], [12, 1, 6, 40], [10, 10]]); // prettier-ignore
    t.cancel();
    t.key({ kind: 'nudge', mark: 'point 1', right: 1, up: 0, fine: false });
    expect((t.draft()?.value as number[][])[1]).toEqual([11, 0, 6, 40]);
  });
});

describe('shaping what is aloft', () => {
  const layer = { id: 'ivy', parameters: { points: [[0, 0], [4, 0, 1.5]] } } as unknown as Layer; // prettier-ignore
  const shape = { path: 'points', closed: () => false, least: 1, most: 60, point: 'point' };
  const face = (spot: Spot): Seat => ({ point: { x: spot.x, y: spot.y, z: 0 }, normal: { x: 0, y: 0, z: 1 } });
  const tool = () => {
    const aloft = withThings({ ...terrain, seatAt: face }, 'ivy'); // its ground is 2 m up
    return new ShapeTool(aloft, () => layer, shape, () => true); // prettier-ignore
  };

  it('shows points where they are', () => {
    const at = tool()
      .marks()
      .filter((m) => !m.adds)
      .map((m) => m.at.y);
    expect(at).toEqual([2.2, 3.5]);
  });

  it('drags one up a face and down to its foot', () => {
    const t = tool();
    t.pointer({ kind: 'press', mark: 'point 0', spot: { x: 0, y: 2 } });
    t.pointer({ kind: 'drag', spot: { x: 1, y: 4.25 } });
    expect(t.draft()?.value).toEqual([[1, 0, 2.25], [4, 0, 1.5]]); // prettier-ignore
    t.cancel();
    t.pointer({ kind: 'press', mark: 'point 1', spot: { x: 4, y: 3.5 } });
    t.pointer({ kind: 'drag', spot: { x: 5, y: 2.1 } });
    expect(t.draft()?.value).toEqual([[0, 0], [5, 0]]); // prettier-ignore
  });

  it('keeps its height as it is nudged', () => {
    const t = tool();
    t.key({ kind: 'nudge', mark: 'point 1', right: 0, up: 1, fine: false });
    expect((t.draft()?.value as number[][])[1]).toEqual([4, -1, 1.5]);
  });
});

describe('shaping', () => {
  const start: Flat[] = [[0, 0], [10, 0], [10, 10]]; // prettier-ignore

  function made({ closed = true, least = 3, most = 4, mayEdit = true } = {}) {
    const layer = { id: 'meadow', parameters: { outline: start } } as unknown as Layer;
    const shape = { path: 'outline', holes: 'gaps', closed: () => closed, least, most, point: 'corner' };
    return new ShapeTool(
      terrain,
      () => layer,
      shape,
      () => mayEdit,
    );
  }
  const points = (tool: ShapeTool) => tool.commit()[0] as unknown as { parameters: { outline: Flat[] } };

  it('drafts while a point is dragged, and edits when it is let go', () => {
    const tool = made();
    tool.pointer({ kind: 'press', mark: 'point 1', spot: { x: 10, y: 0 } });
    expect(tool.pointer({ kind: 'release', spot: { x: 10, y: 0 } })).toBe('nothing'); // it was only pressed
    tool.pointer({ kind: 'press', mark: 'point 1', spot: { x: 10, y: 0 } });
    expect(tool.pointer({ kind: 'drag', spot: { x: 12, y: 3 } })).toBe('draft');
    expect(tool.draft()?.value).toEqual([[0, 0], [12, 3], [10, 10]]); // prettier-ignore
    expect(tool.pointer({ kind: 'release', spot: { x: 12, y: 3 } })).toBe('commit');
    expect(points(tool).parameters.outline[1]).toEqual([12, 3]);
    expect(tool.draft()).toBeNull();
  });

  it('gives up without an edit', () => {
    const tool = made();
    tool.pointer({ kind: 'press', mark: 'point 1', spot: { x: 10, y: 0 } });
    tool.pointer({ kind: 'drag', spot: { x: 12, y: 3 } });
    tool.cancel();
    expect(tool.commit()).toEqual([]);
  });

  it('adds a point between two, round the end of an outline too, up to the most', () => {
    const tool = made();
    expect(tool.marks().filter((m) => m.adds).length).toBe(3);
    tool.key({ kind: 'add', mark: 'middle 2' });
    expect(tool.focus).toBe('point 3');
    expect(points(tool).parameters.outline[3]).toEqual([5, 5]);
    const full = made({ most: 3 });
    expect(full.marks().some((m) => m.adds)).toBe(false);
    expect(full.key({ kind: 'add', mark: 'point 0' })).toBe('nothing');
  });

  it('goes on behind the end of an open line', () => {
    const tool = made({ closed: false });
    expect(tool.marks().filter((m) => m.adds).length).toBe(2);
    tool.key({ kind: 'add', mark: 'point 2' });
    expect(points(tool).parameters.outline[3]).toEqual([10, 20]);
  });

  it('does not remove the point beside a mark that only adds one', () => {
    const tool = made({ least: 2 });
    expect(tool.key({ kind: 'remove', mark: 'middle 0' })).toBe('nothing');
    expect(tool.commit()).toEqual([]);
  });

  it('removes no more than may go', () => {
    expect(made().key({ kind: 'remove', mark: 'point 0' })).toBe('nothing');
    const tool = made({ least: 2 });
    expect(tool.key({ kind: 'remove', mark: 'point 0' })).toBe('commit');
    expect(points(tool).parameters.outline).toEqual(start.slice(1));
  });

  it('adds nudges up', () => {
    const tool = made();
    const nudge = { kind: 'nudge' as const, mark: 'point 0', right: 1, up: 0, fine: false };
    tool.key(nudge);
    tool.key({ ...nudge, right: 0, up: 1, fine: true });
    expect(points(tool).parameters.outline[0]).toEqual([1, -0.1]);
  });

  it('shows a viewer lines without marks', () => {
    const tool = made({ mayEdit: false });
    expect(tool.marks()).toEqual([]);
    expect(tool.pointer({ kind: 'press', mark: 'point 0', spot: { x: 0, y: 0 } })).toBe('nothing');
    expect(tool.key({ kind: 'remove', mark: 'point 0' })).toBe('nothing');
  });
});

describe('over the view', () => {
  it('lifts the pen behind the camera', () => {
    const d = pathOf(
      (p) => (p.x === 2 ? null : { x: p.x, y: p.y }),
      [0, 1, 2, 3, 4].map((x) => ({ x, y: 0, z: 0 })),
    );
    expect(d).toBe('M0.0 0.0L1.0 0.0M3.0 0.0L4.0 0.0');
  });

  it('keeps the cross inside and tells how far the view must walk', () => {
    const size = { x: 100, y: 80 };
    expect(crossed({ x: 50, y: 40 }, { x: 10, y: 0 }, size)).toEqual({ cross: { x: 60, y: 40 }, walk: { x: 0, y: 0 } });
    expect(crossed({ x: 70, y: 40 }, { x: 16, y: 0 }, size)).toEqual({
      cross: { x: 76, y: 40 },
      walk: { x: 10, y: 0 },
    });
  });
});
