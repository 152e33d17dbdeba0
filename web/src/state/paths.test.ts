import { describe, expect, it } from 'vitest';
import { pathText } from './paths';

describe('a path in words', () => {
  const p = { surface: 'gravel', width: 3, points: [1, 2, 3], shapes: 'nothing', depth: 2, crown: 1, flows: 'no' };

  it('tells its surface, width, length and points', () => {
    expect(pathText(p, 120.4)).toBe('A path of gravel, 3 m wide and 120 m long, through 3 points.');
  });

  it('tells how it shapes the ground, and only then', () => {
    const river = { ...p, surface: 'none', shapes: 'bed', flows: 'falls' };
    expect(pathText(river, 10)).toBe(
      'A line, 3 m wide and 10 m long, through 3 points. It cuts a bed 2 m deep and never rises.',
    );
    expect(pathText({ ...p, shapes: 'causeway' }, 10)).toContain('It lies on a causeway 1 m high.');
    expect(pathText({ ...p, shapes: 'causeway', flows: 'balanced' }, 10)).toContain('1 m high that never rises.');
  });
});
