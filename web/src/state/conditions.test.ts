import { describe, expect, it } from 'vitest';
import type { Measure } from '../api/client';
import { added, moved, withCondition, withValue, without, type GroundClass } from './classes';
import { begun, conditionWords, spanWords } from './conditions';

const measure = (name: string, unit: string, low: number, high: number, more: object = {}): Measure =>
  ({ name, title: name, unit, low, high, soft: [low, high], step: 0.5, between: [0, 25], fade: 5, to: '', ground: true, help: '', ...more }); // prettier-ignore
const slope = measure('slope', '°', 0, 180);
const path = measure('path', 'm', 0, 1000, { to: 'curve' });

describe('conditions in words', () => {
  const c = begun(slope, () => 'a');

  it('tell the span, with open ends as such', () => {
    expect(c).toEqual({ id: 'a', of: 'slope', between: [0, 25], fade: 5 });
    expect(spanWords(c, slope)).toBe('under 25.0°');
    expect(spanWords({ ...c, between: [10, 25] }, slope)).toBe('10.0–25.0°');
    expect(spanWords({ ...c, between: [10, 180] }, slope)).toBe('over 10.0°');
    expect(spanWords({ ...c, between: [0, 180] }, slope)).toBe('any');
  });

  it('tell what is measured from, by name, or that it is any', () => {
    const near = { ...c, of: 'path', between: [0, 8] as [number, number] };
    expect(conditionWords(near, path, [])).toBe('any path is under 8.0 m away');
    expect(conditionWords({ ...near, outside: true, strength: 40 }, path, ['Causeway', 'Drove'])).toBe(
      'not Causeway, Drove is under 8.0 m away, by 40%',
    );
    const view = measure('view', '°', 0, 180, { to: 'viewpoint', between: [0, 1] });
    const seen = { ...c, of: 'view', between: [0, 1] as [number, number] };
    expect(conditionWords(seen, view, ['Landing'])).toBe('Landing sees it');
    expect(conditionWords({ ...seen, between: [0, 6] }, view, ['Landing'])).toBe(
      'it lies under 6.0° beyond the frame of Landing',
    );
    expect(conditionWords({ ...c, of: 'facing', azimuth: 225 }, slope, [])).toContain('south-west');
  });
});

describe('ground classes', () => {
  const one = (key: string): GroundClass => ({
    key,
    name: key,
    look: 'soil',
    tint: '#ffffff',
    lies: 'by-rule',
    conditions: [],
  });
  const three = ['a', 'b', 'c'].map(one);
  const keys = (classes: GroundClass[]) => classes.map((c) => c.key).join('');

  it('change places, come and go, and keep all else', () => {
    expect(keys(moved(three, 2, -1))).toBe('acb');
    expect(keys(moved(three, 0, 1))).toBe('bac');
    expect(keys(without(three, 'b'))).toBe('ac');
    const more = added([...three, one('class-4')]);
    expect(more.at(-1)).toMatchObject({ key: 'class-5', lies: 'by-brush' });
    expect(keys(three)).toBe('abc');
  });

  it('hold conditions, each by its id', () => {
    const c = begun(slope, () => 'x');
    const held = withCondition(three, 'b', 'x', c);
    expect(held[1]?.conditions).toEqual([c]);
    expect(withCondition(held, 'b', 'x', { ...c, fade: 9 })[1]?.conditions[0]?.fade).toBe(9);
    expect(withCondition(held, 'b', 'x', null)[1]?.conditions).toEqual([]);
    expect(withValue(held, 'b', 'name', 'Peat')[1]).toMatchObject({ name: 'Peat', conditions: [c] });
    expect(three[1]?.conditions).toEqual([]);
  });
});
