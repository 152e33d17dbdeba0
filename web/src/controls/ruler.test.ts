import { describe, expect, it } from 'vitest';
import { RulerDrag, stride, tidied, wayOf, type Scale } from './ruler';

const scale: Scale = { low: 0, high: 50, from: 0, to: 10, step: 0.5 };

describe('rulers', () => {
  it('keep values on their steps and within their limits', () => {
    expect(tidied(3.26, scale)).toBe(3.5);
    expect(tidied(-4, scale)).toBe(0);
    expect(tidied(70, scale)).toBe(50);
    expect(tidied(0.1 + 0.2, { ...scale, step: 0.1 })).toBe(0.3);
  });

  it('stride by the step with Shift, coarsely with Alt, and never by less than a step', () => {
    expect(stride({ shiftKey: false, altKey: false }, scale)).toBe(0.5);
    expect(stride({ shiftKey: true, altKey: false }, { ...scale, to: 1000 })).toBe(0.5);
    expect(stride({ shiftKey: false, altKey: true }, { ...scale, to: 1000 })).toBe(100);
    expect([wayOf('ArrowUp'), wayOf('ArrowLeft'), wayOf('a')]).toEqual([1, -1, 0]);
  });

  it('follow a slow drag with Shift as far as a quick one', () => {
    const dragged = (moves: number) => {
      const drag = new RulerDrag();
      let now = tidied(drag.at(20, 100, false, 0, scale), scale);
      for (let k = 0; k <= moves; k++) now = tidied(drag.at(20 + (60 * k) / moves, 100, true, now, scale), scale);
      return now;
    };
    expect(dragged(1)).toBe(2.5); // 60 of 100 pixels are 6, a tenth of it 0.6
    expect(dragged(60)).toBe(dragged(1));
    expect(dragged(600)).toBe(dragged(1));
  });

  it('begin anew where Shift is pressed again', () => {
    const drag = new RulerDrag();
    drag.at(20, 100, true, 2, scale);
    expect(drag.at(30, 100, true, 2, scale)).toBeCloseTo(2.1);
    expect(drag.at(50, 100, false, 2, scale)).toBe(5);
    expect(drag.at(50, 100, true, 5, scale)).toBe(5);
    drag.begin();
    expect(drag.at(90, 100, true, 5, scale)).toBe(5);
  });
});
