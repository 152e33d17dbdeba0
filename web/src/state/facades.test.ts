import { describe, expect, it } from 'vitest';
import {
  byEdge,
  withJoint,
  withPiece,
  withPull,
  withRole,
  withSplit,
  withoutJoint,
  withoutSplits,
  type FaceEdit,
  type Facing,
} from './facades';

const face: Facing = {
  id: 'w0-1',
  edge: 'w0',
  storey: 1,
  role: 'upper',
  looks: 'south',
  at: [0, 0],
  way: [1, 0],
  low: 2.5,
  wide: 6,
  high: 2.4,
  out: 0,
  cells: [0, 2, 4].map((start) => ({ start, end: start + 2, piece: 'panel', opening: null, by_hand: false })),
  outline: [],
};

describe('what is done to faces by hand', () => {
  it('keeps one edit a face, and none that says nothing', () => {
    const one = withPiece([], 'w0-1', 2, 'casement');
    const two = withPull(one, 'w0-1', 0.4);
    expect(two).toEqual([{ id: 'w0-1', out: 0.4, cells: [{ cell: 2, piece: 'casement' }] }]);
    expect(withPiece(withPull(two, 'w0-1', 0), 'w0-1', 2, null)).toEqual([]);
    expect(withRole(withRole([], 'w1-0', 'front'), 'w1-0', null)).toEqual([]);
  });

  it('leaves other faces alone', () => {
    const other = [{ id: 'w2-0', out: 1 }];
    expect(withPiece(other, 'w0-1', 0, '')).toEqual([...other, { id: 'w0-1', cells: [{ cell: 0, piece: '' }] }]);
  });

  it('splits a cell in halves, and what is set behind it goes along', () => {
    const set = withPiece(withPiece([], 'w0-1', 0, 'a'), 'w0-1', 2, 'b');
    const split = withSplit(set, face, 1);
    expect(split).toEqual([
      {
        id: 'w0-1',
        splits: [2, 3, 4],
        cells: [
          { cell: 0, piece: 'a' },
          { cell: 3, piece: 'b' },
        ],
      },
    ]);
    expect(withSplit([], { ...face, cells: [{ ...face.cells[0]!, end: 0.5 }] }, 0)).toBeNull();
    expect(withoutSplits(withSplit([], face, 1) ?? [], 'w0-1')).toEqual([]);
  });

  it('moves a joint between its neighbours', () => {
    expect(withJoint([], face, 0, 2.6)[0]?.splits).toEqual([2.6, 4]);
    expect(withJoint([], face, 0, 9)[0]?.splits).toEqual([3.7, 4]);
    expect(withJoint([], face, 0, -1)[0]?.splits).toEqual([0.3, 4]);
    expect(withJoint([], face, 2, 5)).toEqual([]);
  });

  it('takes a joint out, and what was set behind it moves up', () => {
    const set = ['a', 'b', 'c'].reduce((edits, piece, k) => withPiece(edits, 'w0-1', k, piece), [] as FaceEdit[]);
    const cells = [
      { cell: 0, piece: 'a' },
      { cell: 1, piece: 'c' },
    ];
    expect(withoutJoint(set, face, 0)).toEqual([{ id: 'w0-1', splits: [4], cells }]);
    expect(withoutJoint([], { ...face, cells: face.cells.slice(0, 2) }, 0)).toBeNull();
    expect(withoutJoint([], face, 2)).toBeNull();
  });

  it('puts storeys of an edge over each other', () => {
    const low = { ...face, id: 'w0-0', storey: 0, wide: 7 };
    const side = { ...face, id: 'w1-0', edge: 'w1' };
    expect(byEdge([low, face, side]).map((e) => [e.edge, e.wide, e.faces.length])).toEqual([
      ['w0', 7, 2],
      ['w1', 6, 1],
    ]);
  });
});
