import { describe, expect, it } from 'vitest';
import { Hold, Pool } from './resources';

function pool() {
  const freed: string[] = [];
  let made = 0;
  const of = new Pool<string>((value) => freed.push(value));
  return { of, freed, make: (key: string) => `${key}${++made}` };
}

describe('a pool', () => {
  it('shares by key and frees when the last holder lets go', () => {
    const { of, freed, make } = pool();
    expect(of.take('bark', () => make('bark'))).toBe('bark1');
    expect(of.take('bark', () => make('bark'))).toBe('bark1');
    of.give('bark');
    expect(freed).toEqual([]);
    of.give('bark');
    expect(freed).toEqual(['bark1']);
    expect(of.take('bark', () => make('bark'))).toBe('bark2');
    expect(of.size).toBe(1);
  });

  it('frees once, however often it is given back', () => {
    const { of, freed, make } = pool();
    of.take('leaf', () => make('leaf'));
    of.give('leaf');
    of.give('leaf');
    expect(freed).toEqual(['leaf1']);
  });

  it('forgets what could not be made, and only that', () => {
    const { of, freed, make } = pool();
    const value = of.take('leaf', () => make('leaf'));
    of.forget('leaf', 'another');
    expect(of.size).toBe(1);
    of.forget('leaf', value);
    expect([of.size, freed.length]).toEqual([0, 0]);
  });
});

describe('a hold', () => {
  it('keeps what stays across an exchange and frees the rest', () => {
    const { of, freed, make } = pool();
    const hold = new Hold(of, make);
    ['a', 'b', 'b'].forEach((key) => hold.take(key));
    ['b', 'c'].forEach((key) => hold.take(key));
    hold.keep(['b', 'c']);
    expect(freed).toEqual(['a1']);
    hold.keep();
    expect(freed).toEqual(['a1', 'b2', 'c3']);
    expect(of.size).toBe(0);
  });

  it('holds what is made again after a failure, and no other let go of it', () => {
    const { of, freed, make } = pool();
    const [one, two] = [new Hold(of, make), new Hold(of, make)];
    of.forget('a', one.take('a')); // it could not be fetched
    expect(one.take('a')).toBe('a2');
    expect(freed).toEqual([]);
    of.forget('a', 'a2');
    two.take('a');
    one.keep();
    expect([freed, of.size]).toEqual([[], 1]);
    two.keep();
    expect(freed).toEqual(['a3']);
  });

  it('leaves alone what another holds', () => {
    const { of, freed, make } = pool();
    const [one, two] = [new Hold(of, make), new Hold(of, make)];
    one.take('a');
    two.take('a');
    one.keep();
    expect(freed).toEqual([]);
    two.keep();
    expect(freed).toEqual(['a1']);
  });
});
