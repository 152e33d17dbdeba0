import { describe, expect, it } from 'vitest';
import { Hand, type Touch } from '../../state/hand.svelte';
import type { Point, Spot, Stood, Terrain } from './tool';
import { TouchTool } from './touch';

const OAK: Stood = { id: '41', at: { x: 10, y: 1.95, z: 20 }, asset: 'oak', seed: 3, turn: 40, up: [0.1, 0], size: 1.2, tall: 1 }; // prettier-ignore
/** Ground at a height of 2 on which a spot's pixels are metres, with a wall of 3 m beyond 90; left of 0 there is nothing. */
const terrain: Terrain = {
  groundAt: () => null,
  height: () => 2,
  lines: () => [],
  seatAt: ({ x, y }: Spot, _layer: string, but: (at: Point) => boolean) => {
    if (x < 0) return null;
    const onItself = Math.hypot(x - 10, y - 20) < 1 && !but(OAK.at);
    return { point: { x, y: onItself ? 9 : x > 90 ? 5 : 2, z: y }, normal: { x: 0, y: 1, z: 0 } };
  },
  standsAt: ({ x, y }: Spot) => (Math.hypot(x - 10, y - 20) < 1 ? OAK : null),
};
const VARIANTS = [
  { asset: 'oak', seed: 3 },
  { asset: 'oak', seed: 4 },
  { asset: 'ash', seed: 1 },
];
const hover = (x: number, y: number) => ({ kind: 'hover' as const, spot: { x, y } });
const click = (x: number, y: number) => ({ kind: 'click' as const, spot: { x, y } });

function taken(touches: Touch[] = []) {
  const rule = { path: 'touches', touches: () => touches, variants: () => VARIANTS };
  const tool = new TouchTool(terrain, 'holt', new Hand(), rule);
  expect(tool.pointer(click(10, 20))).toBe('shown');
  return tool;
}
const kept = (value: unknown) => [{ op: 'layer', id: 'holt', parameters: { 'touches#41': value } }];

describe('touching', () => {
  it('takes up what is under the pointer and does nothing to it by itself', () => {
    const tool = taken();
    expect(tool.holds).toBe(true);
    expect(tool.draft()).toBeNull();
    expect(tool.again()).toBe('nothing');
    expect(tool.pointer(click(10, 20))).toBe('commit');
    expect(tool.commit()).toEqual([]);
    expect(tool.pointer(click(50, 50))).toBe('nothing');
    expect(tool.holds).toBe(false);
  });

  it('keeps what was done, and only that', () => {
    const tool = taken();
    expect(tool.pointer(hover(30, 31))).toBe('draft');
    expect(tool.draft()).toEqual({ path: 'touches#41', value: { of: 'oak', at: [30, 31] } });
    tool.wheel('t', 2);
    expect(tool.draft()?.value).toEqual({ of: 'oak', at: [30, 31], turn: 70, up: [0.1, 0] });
    expect(tool.commit()).toEqual(kept({ of: 'oak', at: [30, 31], turn: 70, up: [0.1, 0] }));
    const sized = taken();
    sized.wheel('y', 1);
    sized.wheel('i', -1);
    expect(sized.commit()).toEqual(kept({ of: 'oak', size: 1.26, asset: 'ash', seed: 1 }));
  });

  it('stands on what is there as deep as its rule has it, and is lifted from there', () => {
    const tool = taken();
    tool.pointer(hover(95, 0));
    expect(tool.draft()?.value).toEqual({ of: 'oak', at: [95, 0], lift: 2.95 });
    tool.wheel('u', 5);
    expect(tool.draft()?.value).toMatchObject({ lift: 3.45 });
    const lifted = taken();
    lifted.wheel('u', 5);
    expect(lifted.draft()?.value).toEqual({ of: 'oak', lift: 0.45 });
  });

  it('is dropped to the ground as its rule has it, where a touch had lifted it, and drawn again when all is turned back', () => {
    const tool = taken([{ id: '41', of: 'oak', lift: 2.5 }]);
    tool.pointer(hover(30, 31));
    expect(tool.draft()?.value).toEqual({ of: 'oak', at: [30, 31], lift: null });
    const turned = taken();
    turned.wheel('t', 1);
    expect(turned.wheel('t', -1)).toBe('draft');
    expect(turned.draft()?.value).toEqual({ of: 'oak' });
    expect(turned.commit()).toEqual([]);
  });

  it('that was loose from the ground stands on it again where it is put', () => {
    const loose: Touch = { id: '41', of: 'oak', lift: 1, ground: 2.5 };
    const tool = taken([loose]);
    tool.pointer(hover(30, 31));
    expect(tool.draft()?.value).toEqual({ of: 'oak', at: [30, 31], lift: null, ground: null });
    const turned = taken([loose]);
    turned.wheel('t', 1);
    expect(turned.draft()?.value).toMatchObject({ lift: 1, ground: 2.5, turn: 55 });
  });

  it('is not moved onto itself', () => {
    const tool = taken();
    tool.pointer(hover(10.2, 20));
    expect(tool.draft()?.value).toEqual({ of: 'oak', at: [10.2, 20] });
  });

  it('adds to what was done before, takes out, and gives back to the rule', () => {
    const before: Touch[] = [{ id: '41', of: 'oak', size: 1.2 }];
    const more = taken(before);
    more.pointer(hover(30, 31));
    expect(more.commit()).toEqual(kept({ of: 'oak', size: 1.2, at: [30, 31] }));
    const out = taken(before);
    expect(out.key({ kind: 'remove', mark: '' })).toBe('commit');
    expect(out.commit()).toEqual(kept({ of: 'oak', size: 1.2, removed: true }));
    const back = taken(before);
    expect(back.key({ kind: 'back' })).toBe('commit');
    expect(back.commit()).toEqual(kept(null));
    const never = taken();
    never.key({ kind: 'back' });
    expect(never.commit()).toEqual([]);
    const left = taken(before);
    left.pointer(hover(30, 31));
    left.cancel();
    expect(left.commit()).toEqual([]);
  });
});
