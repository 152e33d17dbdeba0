import { describe, expect, it } from 'vitest';
import { KEYS, Keyring, isLetter, type KeyName } from './keys';

interface Place {
  tag?: string;
  type?: string;
  control?: boolean;
}

function pressed(key: string, mods: string[] = [], at: Place = {}, more: Partial<KeyboardEvent> = {}): KeyboardEvent {
  const event = {
    key,
    code: '',
    repeat: false,
    isComposing: false,
    defaultPrevented: false,
    getModifierState: (m: string) => mods.includes(m),
    preventDefault: () => {
      event.defaultPrevented = true;
    },
    target: { tagName: at.tag ?? 'BODY', type: at.type ?? '', closest: () => (at.control ? {} : null) },
    ...more,
  };
  return event as unknown as KeyboardEvent;
}

function ring(covered = false) {
  const done: string[] = [];
  const keyring = new Keyring(
    () => covered,
    () => void done.push('settled'),
  );
  const acts = Object.fromEntries((Object.keys(KEYS) as KeyName[]).map((name) => [name, () => void done.push(name)]));
  return { keyring, done, acts };
}

describe('keys', () => {
  it('act by name, with the right modifiers only, whatever the case', () => {
    const { keyring, done, acts } = ring();
    keyring.bind(acts);
    keyring.press(pressed('f'));
    keyring.press(pressed('F'));
    keyring.press(pressed('f', ['Alt']));
    keyring.press(pressed('f', ['Control']));
    keyring.press(pressed('?', ['Shift']));
    expect(done).toEqual(['frame', 'frame', 'card']);
  });

  it('undo only after the control in hand has given its edit', () => {
    const { keyring, done, acts } = ring();
    keyring.bind(acts);
    keyring.press(pressed('z', ['Control'], { control: true }));
    keyring.press(pressed('Z', ['Control', 'Shift'], { control: true }));
    expect(done).toEqual(['settled', 'undo', 'settled', 'redo']);
  });

  it.each(['INPUT', 'TEXTAREA', 'SELECT'])('do nothing in a %s: it keeps its own', (tag) => {
    const { keyring, done, acts } = ring();
    keyring.bind(acts);
    for (const [key, mods] of [
      ['z', ['Control']],
      ['h', []],
      ['Delete', []],
      ['Enter', []],
    ] as [string, string[]][]) {
      const event = pressed(key, mods, { tag, type: tag === 'INPUT' ? 'search' : '' });
      keyring.press(event);
      expect(event.defaultPrevented).toBe(false);
    }
    expect(done).toEqual([]);
  });

  it('do act on a checkbox, which writes nothing', () => {
    const { keyring, done, acts } = ring();
    keyring.bind(acts);
    keyring.press(pressed('h', [], { tag: 'INPUT', type: 'checkbox', control: true }));
    expect(done).toEqual(['hide']);
  });

  it('never remove a layer from a focused ruler', () => {
    const { keyring, done, acts } = ring();
    keyring.bind(acts);
    for (const key of ['Delete', 'Enter', 'Backspace']) keyring.press(pressed(key, [], { tag: 'DIV', control: true }));
    expect(done).toEqual([]);
    keyring.press(pressed('Delete'));
    expect(done).toEqual(['remove']);
  });

  it('do nothing under an open dialog, nor when a control has taken the key', () => {
    const under = ring(true);
    under.keyring.bind(under.acts);
    under.keyring.press(pressed('Delete'));
    expect(under.done).toEqual([]);
    const taken = ring();
    taken.keyring.bind(taken.acts);
    taken.keyring.press(pressed('Home', [], {}, { defaultPrevented: true }));
    taken.keyring.press(pressed('h', [], {}, { isComposing: true }));
    expect(taken.done).toEqual([]);
  });

  it('act once while held', () => {
    const { keyring, done, acts } = ring();
    keyring.bind(acts);
    keyring.press(pressed('Delete'));
    const held = pressed('Delete', [], {}, { repeat: true });
    keyring.press(held);
    expect(done).toEqual(['remove']);
    expect(held.defaultPrevented).toBe(true);
  });

  it('that are single signs can be switched off, and no others', () => {
    const { keyring, done, acts } = ring();
    keyring.bind(acts);
    keyring.letters = false;
    for (const key of ['f', 'l', 'h', '?']) keyring.press(pressed(key));
    expect(done).toEqual([]);
    keyring.press(pressed('z', ['Control']));
    keyring.press(pressed('Home'));
    expect(done).toEqual(['settled', 'undo', 'whole']);
    expect((Object.keys(KEYS) as KeyName[]).filter(isLetter)).toEqual([
      'frame',
      'contours',
      'walk',
      'before',
      'nextFinding',
      'hide',
      'split',
      'card',
    ]);
  });

  it('of the newest scope come first; one that is alone hides the others until it ends', () => {
    const { keyring, done, acts } = ring();
    keyring.bind(acts);
    const end = keyring.bind({ leave: () => void done.push('stop drawing') }, true);
    keyring.press(pressed('Escape'));
    keyring.press(pressed('h'));
    end();
    keyring.press(pressed('h'));
    keyring.press(pressed('Escape'));
    expect(done).toEqual(['stop drawing', 'hide', 'leave']);
  });
});
