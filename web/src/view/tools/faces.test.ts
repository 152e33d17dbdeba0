import * as THREE from 'three';
import { describe, expect, it, vi } from 'vitest';
import type { FaceEdit, Facing } from '../../state/facades';
import type { Turntable } from '../turntable';
import { FaceTool, met, outOf, placeOn, type House, type Picked } from './faces';

const cells = [0, 2, 4].map((start) => ({ start, end: start + 2, piece: 'panel', opening: null, by_hand: false }));
const made = (id: string, at: [number, number], way: [number, number]): Facing => ({
  id,
  edge: id.slice(0, 2),
  storey: 0,
  role: 'front',
  looks: 'south',
  at,
  way,
  low: 0.3,
  wide: 6,
  high: 2.5,
  out: 0,
  cells,
  outline: [],
});
// a south front and an east side of a house about the origin
const south = made('w0-0', [-3, 2], [1, 0]);
const east = made('w1-0', [3, 2], [0, -1]);
const from = (x: number, y: number, z: number, to: [number, number, number]) =>
  new THREE.Ray(new THREE.Vector3(x, y, z), new THREE.Vector3(...to).sub(new THREE.Vector3(x, y, z)).normalize());

describe('faces of a building', () => {
  it('are met from outside, within their borders', () => {
    expect(outOf(south).toArray()).toEqual([-0, 0, 1]);
    expect(outOf(east).toArray()).toEqual([1, 0, 0]);
    const found = met(from(-1, 1.3, 12, [-1, 1.3, 2]), south);
    expect(found?.along).toBeCloseTo(2);
    expect(found?.up).toBeCloseTo(1);
    expect(found?.away).toBeCloseTo(10);
    expect(met(from(-1, 1.3, -12, [-1, 1.3, 2]), south)).toBeNull(); // from behind
    expect(met(from(-1, 1.3, 12, [-1, 9, 2]), south)).toBeNull(); // over it
    expect(met(from(0, 1, 12, [9, 1, 2]), south)).toBeNull(); // beside it
    expect(placeOn(east, 2, 1, 0.5).toArray()).toEqual([3.5, 1.3, 0]);
  });
});

// over the south front, its peak to the right of the middle
const gable: Facing = {
  ...made('w0-gable0', [-3, 2], [1, 0]),
  role: 'gable',
  low: 2.8,
  high: 3,
  outline: [[0, 0], [6, 0], [4, 3]], // prettier-ignore
  cells: [{ start: 3, end: 5, piece: 'slit', opening: [3.8, 4.2, 0.5, 1.5], by_hand: false }],
};

/** A tool whose pointer looks straight north at its spot, in metres. */
function atHand(own: Partial<House> = {}, blocked = Infinity) {
  const house: House = { asset: 'h', faces: [south, east], edits: [], picked: null, mayEdit: true, ...own };
  const stage = { ray: ({ x, y }: { x: number; y: number }) => from(x, y, 20, [x, y, 0]) };
  const pick = vi.fn((picked: Picked | null) => void (house.picked = picked));
  const tool = new FaceTool({ stage, distance: () => blocked } as unknown as Turntable, () => house, pick);
  const edits = () => tool.commit()[0] as { parameters: { faces: FaceEdit[] } } | undefined;
  return { house, tool, pick, edits };
}

describe('the tool for faces', () => {
  it('chooses the cell under the pointer, and nothing beside the house or behind something', () => {
    const { tool, pick } = atHand();
    expect(tool.pointer({ kind: 'click', spot: { x: 0.5, y: 1 } })).toBe('shown');
    expect(pick).toHaveBeenLastCalledWith({ face: 'w0-0', cell: 1 });
    tool.pointer({ kind: 'click', spot: { x: 8, y: 1 } });
    expect(pick).toHaveBeenLastCalledWith(null);
    const behind = atHand({}, 5);
    behind.tool.pointer({ kind: 'click', spot: { x: 0.5, y: 1 } });
    expect(behind.pick).toHaveBeenLastCalledWith(null);
  });

  it('splits where it is clicked, and only there', () => {
    const { tool, edits } = atHand();
    tool.split(true);
    expect(tool.pointer({ kind: 'click', spot: { x: 0.7, y: 1 } })).toBe('commit');
    expect(edits()?.parameters.faces).toEqual([{ id: 'w0-0', splits: [2, 3.7, 4], cells: [] }]);
    // no nearer to a joint than a cell is wide at least
    tool.pointer({ kind: 'click', spot: { x: -0.95, y: 1 } });
    expect(edits()?.parameters.faces[0]?.splits).toEqual([2, 2.3, 4]);
    tool.back();
    expect(tool.pointer({ kind: 'click', spot: { x: 0.7, y: 1 } })).toBe('shown');
    const looker = atHand({ mayEdit: false });
    looker.tool.split(true);
    expect(looker.tool.pointer({ kind: 'click', spot: { x: 0.7, y: 1 } })).toBe('shown');
    expect(looker.tool.commit()).toEqual([]);
  });

  it('moves a joint along the face while it is dragged', () => {
    const { tool, edits } = atHand({ picked: { face: 'w0-0', cell: 0 } });
    expect(tool.marks().map((m) => m.key)).toEqual(['joint 0', 'joint 1', 'pull']);
    tool.pointer({ kind: 'press', mark: 'joint 0', spot: { x: -1, y: 1 } });
    expect(tool.pointer({ kind: 'drag', spot: { x: -0.5, y: 1 } })).toBe('draft');
    expect(tool.draft()).toEqual({ path: 'faces', value: [{ id: 'w0-0', splits: [2.5, 4] }] });
    expect(tool.pointer({ kind: 'release', spot: { x: -0.5, y: 1 } })).toBe('commit');
    expect(edits()?.parameters.faces).toEqual([{ id: 'w0-0', splits: [2.5, 4] }]);
    expect(tool.commit()).toEqual([]); // once
  });

  it('pulls the face along its own outward line, within bounds', () => {
    const { tool, edits } = atHand({ picked: { face: 'w1-0', cell: 0 } });
    // the pointer looks north: the dot of the east side goes east with it
    const dot = placeOn(east, 3, 0.72 * 2.5, 0.7);
    tool.pointer({ kind: 'press', mark: 'pull', spot: dot });
    tool.pointer({ kind: 'drag', spot: { x: dot.x + 0.47, y: dot.y } });
    expect(tool.labels()[0]?.text).toBe('out 0.45 m');
    tool.pointer({ kind: 'drag', spot: { x: dot.x + 90, y: dot.y } });
    expect(edits()?.parameters.faces).toEqual([{ id: 'w1-0', out: 20 }]);
    // its own outward line seen end on says nothing
    const front = atHand({ picked: { face: 'w0-0', cell: 0 } });
    front.tool.pointer({ kind: 'press', mark: 'pull', spot: { x: 0, y: 1 } });
    expect(front.tool.pointer({ kind: 'drag', spot: { x: 1, y: 1 } })).toBe('nothing');
  });

  it('is moved by keys and filled by numbers, and lets go of what was not kept', () => {
    const { tool, edits } = atHand({ picked: { face: 'w0-0', cell: 2 } });
    expect(tool.key({ kind: 'nudge', mark: 'pull', right: 0, up: 1, fine: false })).toBe('draft');
    expect(edits()?.parameters.faces).toEqual([{ id: 'w0-0', out: 0.05 }]);
    tool.key({ kind: 'nudge', mark: 'joint 1', right: -1, up: 0, fine: true });
    expect(edits()?.parameters.faces[0]?.splits).toEqual([2, 3.99]);
    expect(tool.fill('casement')).toBe('commit');
    expect(edits()?.parameters.faces).toEqual([{ id: 'w0-0', cells: [{ cell: 2, piece: 'casement' }] }]);
    expect(tool.key({ kind: 'remove', mark: 'joint 0' })).toBe('commit');
    expect(edits()?.parameters.faces).toEqual([{ id: 'w0-0', splits: [4], cells: [] }]);
    tool.fill('casement');
    tool.cancel();
    expect(tool.commit()).toEqual([]);
    expect(atHand().tool.fill('casement')).toBe('nothing');
  });
});

describe('a gable', () => {
  it('is met within its outline alone', () => {
    expect(met(from(1, 3.8, 12, [1, 3.8, 2]), gable)?.along).toBeCloseTo(4);
    expect(met(from(-2.8, 4.8, 12, [-2.8, 4.8, 2]), gable)).toBeNull(); // over its left slope
    expect(met(from(2.9, 4.8, 12, [2.9, 4.8, 2]), gable)).toBeNull(); // over its right one
  });

  it('is chosen and filled, and neither pulled nor split', () => {
    const { tool, pick, house, edits } = atHand({ faces: [south, gable] });
    tool.pointer({ kind: 'click', spot: { x: 1, y: 3.8 } });
    expect(pick).toHaveBeenLastCalledWith({ face: 'w0-gable0', cell: 0 });
    house.picked = { face: 'w0-gable0', cell: 0 };
    expect(tool.marks()).toEqual([]);
    expect(tool.strokes()[0]?.points.length).toBe(4);
    expect(tool.fill('sash')).toBe('commit');
    expect(edits()?.parameters.faces).toEqual([{ id: 'w0-gable0', cells: [{ cell: 0, piece: 'sash' }] }]);
    tool.split(true);
    expect(tool.pointer({ kind: 'click', spot: { x: 1, y: 3.8 } })).toBe('shown');
    expect(edits()).toBeUndefined();
  });
});
