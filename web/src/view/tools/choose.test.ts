import { beforeEach, describe, expect, it } from 'vitest';
import { Chosen, MOST_CHOSEN } from '../../state/chosen.svelte';
import { ChooseTool, corners, holds, type Field } from './choose';
import type { Spot, Stood } from './tool';

const stood = (id: number, x: number, z: number, asset = 'oak'): Stood => ({
  id: `${id}`,
  at: { x, y: 2, z },
  asset,
  seed: 1,
  turn: 0,
  up: [0, 0],
  size: 1,
  tall: 1,
});
const OAKS = [stood(1, 10, 10), stood(2, 20, 10), stood(3, 10, 20), stood(4, 80, 80, 'ash')];
/** Ground on which a spot's pixels are metres. */
const field: Field = {
  groundAt: ({ x, y }: Spot) => ({ x, y: 2, z: y }),
  height: () => 2,
  lines: () => [],
  seatAt: () => null,
  standsAt: ({ x, y }: Spot) => OAKS.find((t) => Math.hypot(t.at.x - x, t.at.z - y) < 2) ?? null,
  standing: (_, within) => OAKS.filter((t) => within({ x: t.at.x, y: t.at.z })),
  spotsOn: (spots) => spots.map(({ x, y }) => ({ x, y: 2, z: y })),
};
const STEPS = { steps: { turn: 15, size: 10, lift: 10 } };
const VARIANTS = [
  { asset: 'oak', seed: 1 },
  { asset: 'ash', seed: 2 },
];

let chosen: Chosen;
let told: string[];
let tool: ChooseTool;
const ids = () => chosen.things.map((t) => t.id).join(' ');
const at = (x: number, y: number) => ({ x, y });
/** A drag with Shift along these spots. */
function draw(...spots: [number, number][]) {
  spots.forEach(([x, y], k) =>
    tool.pointer(k ? { kind: 'drag', spot: at(x, y) } : { kind: 'press', mark: '', spot: at(x, y) }),
  );
  return tool.pointer({ kind: 'release', spot: at(...(spots.at(-1) as [number, number])) });
}

beforeEach(() => {
  chosen = new Chosen();
  told = [];
  tool = new ChooseTool(
    field,
    'holt',
    chosen,
    STEPS,
    () => VARIANTS,
    (what) => told.push(what),
  );
});

describe('choosing', () => {
  it('takes one by a click, another instead, and none on bare ground', () => {
    expect(tool.pointer({ kind: 'click', spot: at(10, 11) })).toBe('shown');
    expect(ids()).toBe('1');
    tool.pointer({ kind: 'click', spot: at(20, 10) });
    expect(ids()).toBe('2');
    tool.pointer({ kind: 'click', spot: at(50, 50) });
    expect([ids(), tool.holds]).toEqual(['', false]);
  });

  it('takes one more by a click with Shift, and lays it aside by the next', () => {
    draw([10, 10]);
    draw([20, 10], [21, 11]); // no more than a hand that trembles
    expect(ids()).toBe('1 2');
    draw([10, 10]);
    expect(ids()).toBe('2');
    draw([50, 50]);
    expect(ids()).toBe('2');
  });

  it('takes in what lies in a lasso, and more', () => {
    draw([5, 5], [30, 5], [5, 30]); // a triangle that leaves none of its corners' rectangle out but by its slope
    expect(ids()).toBe('1 2 3');
    draw([70, 70], [90, 70], [90, 90], [70, 90]);
    expect(ids()).toBe('1 2 3 4');
  });

  it('takes in what lies in a rectangle', () => {
    chosen.form = 'rectangle';
    draw([5, 5], [9, 30], [25, 15]);
    expect(ids()).toBe('1 2');
    chosen.things = [];
    draw([25, 15], [5, 5]); // from whichever corner
    expect(ids()).toBe('1 2');
  });

  it('moves them by the dot in their middle, as a draft until it is let go', () => {
    draw([5, 5], [30, 5], [5, 30]);
    const [mark] = tool.marks();
    expect(mark).toMatchObject({ key: 'middle', at: { x: 15, z: 15 } });
    tool.pointer({ kind: 'press', mark: 'middle', spot: at(16, 15) });
    expect(tool.pointer({ kind: 'drag', spot: at(20, 12) })).toBe('draft');
    expect(tool.draft()).toBeNull();
    const change = { move: [4, -3], relative: true, about: 'each' };
    expect(tool.adjusting()).toEqual({ op: 'adjust', id: 'holt', things: ['1', '2', '3'], change });
    expect(tool.marks()[0]?.at).toMatchObject({ x: 19, z: 12 });
    expect(tool.pointer({ kind: 'release', spot: at(20, 12) })).toBe('commit');
    expect(tool.commit()).toEqual([{ op: 'adjust', id: 'holt', things: ['1', '2', '3'], change }]);
    expect([tool.commit(), tool.adjusting()]).toEqual([[], null]);
  });

  it('is nudged by keys and changed by the wheel, and kept by a click or put back', () => {
    chosen.things = OAKS.slice(0, 2);
    chosen.about = 'middle';
    expect(tool.key({ kind: 'nudge', mark: 'middle', right: 1, up: 1, fine: false })).toBe('draft');
    tool.key({ kind: 'nudge', mark: 'middle', right: 1, up: 0, fine: true });
    tool.wheel('t', 2);
    tool.wheel('y', 2);
    tool.wheel('u', -3);
    expect(tool.wheel('i', 1)).toBe('draft');
    expect(tool.adjusting()?.change).toEqual({
      move: [0.3, -0.25],
      turn: 30,
      size: 1.21,
      lift: -0.3,
      asset: 'ash',
      seed: 2,
      relative: true,
      about: 'middle',
    });
    tool.cancel();
    expect([tool.adjusting(), ids()]).toEqual([null, '1 2']);
    tool.cancel();
    expect(ids()).toBe('');
    expect(tool.wheel('t', 1)).toBe('nothing');
    chosen.things = OAKS.slice(0, 1);
    tool.wheel('t', 1);
    expect(tool.pointer({ kind: 'click', spot: at(50, 50) })).toBe('commit');
    expect(tool.commit()).toHaveLength(1);
    expect(ids()).toBe('1');
  });

  it('takes them out by a key', () => {
    expect(tool.key({ kind: 'remove', mark: '' })).toBe('nothing');
    chosen.things = OAKS.slice(0, 1);
    expect(tool.key({ kind: 'remove', mark: '' })).toBe('commit');
    expect(tool.commit()).toMatchObject([{ things: ['1'], change: { do: 'remove' } }]);
  });

  it('takes no more than can be changed at once, and says so', () => {
    const many = Array.from({ length: MOST_CHOSEN + 5 }, (_, k) => stood(k + 10, k, 0));
    expect(chosen.add(many)).toContain('5,000');
    expect(chosen.things).toHaveLength(MOST_CHOSEN);
    expect(chosen.add(many.slice(0, 3))).toBe('');
    expect(chosen.counts).toEqual([['oak', MOST_CHOSEN]]);
  });

  it('knows what an outline holds', () => {
    const ring = [at(0, 0), at(10, 0), at(10, 10), at(5, 3), at(0, 10)]; // a notch from below
    expect([at(5, 2), at(5, 5), at(1, 5), at(11, 5)].map((s) => holds(ring, s))).toEqual([true, false, true, false]);
    expect(corners([at(1, 2), at(9, 9), at(3, 5)])).toEqual([at(1, 2), at(3, 2), at(3, 5), at(1, 5), at(1, 2)]);
  });
});
