import { describe, expect, it } from 'vitest';
import type { Layer, Settings } from '../../api/client';
import { Hand, handy, type SetDown } from '../../state/hand.svelte';
import { SetDownTool } from './setDown';
import type { Point, Spot, Stood, Terrain } from './tool';

const STOOD: Stood = {
  id: '9',
  at: { x: 50, y: 2, z: 50 },
  asset: 'rock',
  seed: 7,
  turn: 30,
  up: [0, 0],
  size: 2,
  tall: 1.5,
};
const STONE = { x: 50, z: 50, top: 3 };
/** Ground at a height of 2 on which a spot's pixels are metres, with a stone; left of 0 there is nothing. */
const terrain: Terrain = {
  groundAt: () => null,
  height: () => 2,
  lines: () => [],
  seatAt: ({ x, y }: Spot, _: string, but: (at: Point) => boolean) => {
    if (x < 0) return null;
    const onStone = Math.hypot(x - STONE.x, y - STONE.z) < 1 && !but({ x: STONE.x, y: 2, z: STONE.z });
    return { point: { x, y: onStone ? STONE.top : 2, z: y }, normal: { x: 0.6, y: 0.8, z: 0 } };
  },
  standsAt: ({ x, y }: Spot) => (Math.hypot(x - 50, y - 50) < 1 ? STOOD : null),
};
const stone: SetDown = {
  id: 'stone',
  asset: 'rock',
  seed: 7,
  at: [50, 50],
  lift: 0,
  turn: 30,
  up: [0, 0],
  size: 2,
  tall: 1.5,
};
const hover = (x: number, y: number) => ({ kind: 'hover' as const, spot: { x, y } });
const click = (x: number, y: number) => ({ kind: 'click' as const, spot: { x, y } });
const lift = (x: number, y: number) => ({ kind: 'lift' as const, spot: { x, y } });

function hands(placed: SetDown[] = [stone], draws = [0.5]) {
  let k = 0;
  const hand = new Hand(() => draws[k++ % draws.length] as number);
  hand.asset = 'rock';
  let made = 0;
  const setting = { path: 'placed', placed: () => placed, seeds: () => [7, 8, 9] };
  return { hand, tool: new SetDownTool(terrain, 'layer', hand, setting, () => `n${made++}`) };
}

describe('setting down', () => {
  it('shows what is in hand on whatever is there, and keeps it by a click', () => {
    const { tool } = hands();
    expect(tool.draft()).toBeNull();
    expect(tool.pointer(hover(-4, 0))).toBe('nothing');
    expect(tool.pointer(hover(10, 20))).toBe('draft');
    const { path, value } = tool.draft() ?? {};
    expect(path).toBe('placed#n0');
    expect(value).toEqual({ asset: 'rock', seed: 7, at: [10, 20], lift: 0, turn: 0, up: [0, 0], size: 1, tall: 1 });
    expect(tool.pointer(hover(50, 50.5))).toBe('draft');
    expect(tool.draft()?.value).toMatchObject({ at: [50, 50.5], lift: 1 });
    expect(tool.pointer(click(12, 20))).toBe('commit');
    expect(tool.commit()).toMatchObject([{ op: 'layer', id: 'layer', parameters: { 'placed#n0': { at: [12, 20] } } }]);
    expect(tool.draft()).toBeNull();
    tool.pointer(hover(1, 1));
    expect(tool.draft()?.path).toBe('placed#n1');
    expect(tool.pointer(click(-4, 0))).toBe('nothing');
  });

  it('never stands on itself', () => {
    const { tool } = hands([]); // what stands at the stone is the draft of it
    tool.pointer(hover(50, 50));
    expect(tool.draft()?.value).toMatchObject({ lift: 0 });
  });

  it('acts by the wheel with four keys, finely too, and is reset', () => {
    const { tool, hand } = hands();
    expect(tool.wheel('t', 1)).toBe('nothing'); // there is nothing to show yet
    tool.pointer(hover(5, 5));
    hand.steps.turn = 20;
    tool.wheel('t', -2);
    tool.wheel('t', 0.1);
    tool.wheel('y', 2);
    tool.wheel('u', -3);
    expect(tool.wheel('i', -1)).toBe('draft');
    expect(tool.draft()?.value).toMatchObject({ turn: 337, size: 1.103, lift: -0.3, seed: 9 }); // 15 - 40 + 2
    expect(tool.key({ kind: 'back' })).toBe('draft');
    expect(tool.draft()?.value).toMatchObject({ turn: 0, size: 1, lift: 0, seed: 7 });
    tool.wheel('y', -999);
    tool.wheel('u', 99999);
    expect(tool.draft()?.value).toMatchObject({ size: 0.05, lift: 500 });
  });

  it('stands square to the surface when it is to', () => {
    const { tool, hand } = hands();
    hand.square = true;
    tool.pointer(hover(5, 5));
    expect(tool.draft()?.value).toMatchObject({ up: [0.6, 0] });
  });

  it('draws the next one anew but for what is pinned', () => {
    const { tool, hand } = hands([stone], [0.25, 0, 0.001]);
    tool.pointer(hover(5, 5));
    tool.wheel('u', 4);
    tool.wheel('y', 1);
    hand.pins.lift = true;
    tool.commit();
    expect([hand.turn, hand.size, hand.lift, hand.which]).toEqual([90, 0.85, 0.4, 1]);
    hand.pins = { turn: true, size: true, lift: true, which: true };
    hand.draw();
    expect([hand.turn, hand.size, hand.lift, hand.which]).toEqual([90, 0.85, 0.4, 1]);
  });

  it('keeps the lean and the mirroring of what it takes up, until it is reset', () => {
    const leaning: SetDown = { ...stone, up: [0.3, -0.1], mirrored: true };
    const { tool } = hands([leaning]);
    tool.pointer(lift(50, 50));
    tool.pointer(hover(60, 61));
    expect(tool.draft()?.value).toMatchObject({ up: [0.3, -0.1], mirrored: true, at: [60, 61] });
    tool.key({ kind: 'back' });
    expect(tool.draft()?.value).toMatchObject({ up: [0, 0], turn: 0 });
  });

  it('takes up what stands with all that it has, puts it back, moves it or takes it away', () => {
    const { tool, hand } = hands();
    expect(tool.pointer(lift(3, 3))).toBe('nothing');
    expect(tool.holds).toBe(false);
    tool.pointer(hover(50, 50));
    expect(tool.pointer(lift(50, 50))).toBe('draft');
    expect(tool.holds).toBe(true);
    const { id, ...as } = stone;
    expect(tool.draft()).toEqual({ path: `placed#${id}`, value: as });
    tool.pointer(hover(60, 61));
    expect(tool.draft()?.value).toEqual({ ...as, at: [60, 61] });
    tool.cancel();
    expect(tool.holds).toBe(false);
    expect(tool.commit()).toEqual([]);
    tool.pointer(lift(50, 50));
    expect(tool.key({ kind: 'remove', mark: '' })).toBe('commit');
    expect(tool.commit()).toEqual([{ op: 'layer', id: 'layer', parameters: { 'placed#stone': null } }]);
    expect(tool.key({ kind: 'remove', mark: '' })).toBe('nothing');
    expect(hand.asset).toBe('rock');
  });
});

describe('what may be set down', () => {
  it('is each asset of the mix, those of kept mixes by themselves', () => {
    const settings = {
      mixes: [
        {
          id: 'herbs',
          name: 'Herbs',
          entries: [
            { asset: 'fern', weight: 1 },
            { asset: 'rock', weight: 2 },
          ],
        },
      ],
    } as unknown as Settings;
    const layer = { parameters: { mix: [{ asset: 'rock' }, { asset: 'herbs' }] } } as unknown as Layer;
    expect(handy(settings, layer)).toEqual(['rock', 'fern']);
  });
});
