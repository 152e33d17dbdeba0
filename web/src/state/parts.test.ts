import { describe, expect, it } from 'vitest';
import { groupsOf, slowest, squaresOf, withFresh, type BakePart } from './parts';

const part = (name: string, state = 'waiting', seconds = 0): BakePart => ({ name, state, seconds, place: '' });

describe('parts of a bake', () => {
  it('are counted by what they are, each once', () => {
    const parts = [
      part('ground', 'made'),
      part('shapes of carr-1', 'there'),
      part('shapes of carr-2'),
      part('placements.csv'),
      part('tiles/0-0.glb', 'made'),
      part('tiles/1-0.glb'),
      part('manifest.json'),
    ];
    const groups = groupsOf(parts);
    expect(groups.map((g) => [g.name, g.ready, g.all])).toEqual([
      ['Meshes', 1, 2],
      ['Ground and table', 1, 2],
      ['Tiles', 1, 2],
      ['Scene', 0, 1],
    ]);
    expect(groups.reduce((n, g) => n + g.all, 0)).toBe(parts.length);
  });

  it('lie on the map as they are written: plain ones from the north, nested ones from the south', () => {
    const plain = squaresOf(['tiles/0-0.glb', 'tiles/1-0.glb', 'tiles/0-1.glb'].map((n) => part(n)));
    expect(plain.side).toBe(2);
    expect(plain.squares.map((s) => [s.column, s.row])).toEqual([
      [0, 0],
      [1, 0],
      [0, 1],
    ]);
    const nested = squaresOf(['tiles/0-0-0.glb', 'tiles/2-3-0.glb', 'tiles/2-0-3.glb'].map((n) => part(n)));
    expect(nested.side).toBe(4);
    expect(nested.squares.map((s) => [s.column, s.row])).toEqual([
      [3, 3],
      [0, 0],
    ]);
    expect(squaresOf([part('ground')]).squares).toEqual([]);
  });

  it('take in what is told of them, and are asked for anew where something was missed', () => {
    const parts = [part('a'), part('b'), part('c', 'there')];
    expect(withFresh(parts, [0], 2)?.map((p) => p.state)).toEqual(['made', 'waiting', 'there']);
    expect(withFresh(parts, [0], 3)).toBeNull();
    expect(withFresh(parts, [2], 1)?.[2]?.state).toBe('there');
  });

  it('are told by how long they took', () => {
    const parts = [part('a', 'made', 1), part('b', 'made', 3), part('c', 'there', 9), part('d', 'made', 0)];
    expect(slowest(parts, 5).map((p) => p.name)).toEqual(['b', 'a']);
    expect(slowest(parts, 1).map((p) => p.name)).toEqual(['b']);
  });
});
