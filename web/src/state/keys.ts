/** Every key of the application: named once, bound by scope, acting only where it may. */
import { matchKeyBindingPress, parseKeybinding } from 'tinykeys';

interface Key {
  press: string[];
  shown: string;
  what: string;
  /** Acts only while no control but a packet has the focus: what it does would surprise there. */
  bare?: boolean;
  /** First lets the control in hand give what it holds back, so that no edit is overtaken. */
  settles?: boolean;
}

const keys = <N extends string>(table: Record<N, Key>) => table;
export const KEYS = keys({
  undo: { press: ['$mod+z'], shown: 'Ctrl Z', what: 'undo your own last edit', settles: true },
  redo: { press: ['$mod+Shift+z'], shown: 'Ctrl Shift Z', what: 'do it again', settles: true },
  frame: { press: ['f'], shown: 'F', what: 'frame the selected layer; on the bench, the asset' },
  whole: { press: ['Home'], shown: 'Home', what: 'frame the whole scene' },
  nextView: { press: ['PageDown'], shown: 'Page down', what: 'the next viewpoint', bare: true },
  lastView: { press: ['PageUp'], shown: 'Page up', what: 'the viewpoint before', bare: true },
  contours: { press: ['l'], shown: 'L', what: 'contour lines: none, 1 m, 5 m' },
  walk: { press: ['v'], shown: 'V', what: 'walk at eye level: arrows walk and turn, Page keys step aside, Shift runs' },
  before: { press: ['b'], shown: 'B', what: 'the scene before its last edit, and after it again' },
  nextFinding: { press: ['n'], shown: 'N', what: 'fly to the next thing that is wrong' },
  lastFinding: { press: ['Shift+n', 'Shift+N'], shown: 'Shift N', what: 'fly to the one before' },
  hide: { press: ['h'], shown: 'H', what: 'hide or show the selected layer' },
  remove: {
    press: ['Delete'],
    shown: 'Delete',
    what: 'remove the selected layer, or the corner in hand',
    bare: true,
  },
  finish: {
    press: ['Enter'],
    shown: 'Enter',
    what: 'while drawing: finish · double click finishes, too',
    bare: true,
  },
  set: {
    press: ['Space'],
    shown: 'Space',
    what: 'while drawing with the arrows: set a point at the cross',
    bare: true,
  },
  back: { press: ['Backspace'], shown: 'Backspace', what: 'while drawing: take the last point back', bare: true },
  leave: { press: ['Escape'], shown: 'Esc', what: 'leave what you are doing' },
  which: {
    press: ['1', '2', '3', '4', '5', '6', '7', '8', '9'],
    shown: '1–9',
    what: 'with a brush: take that of its assets up, or lay it aside; on a house: fill the cell with that piece',
  },
  split: { press: ['s'], shown: 'S', what: 'on a house: split cells where you click' },
  card: { press: ['?', 'Shift+?'], shown: '?', what: 'this card' },
});
export type KeyName = keyof typeof KEYS;
export type Acts = Partial<Record<KeyName, (event: KeyboardEvent) => void>>;

const parsed = Object.fromEntries(
  Object.entries(KEYS).map(([name, key]) => [name, key.press.map((text) => parseKeybinding(text)[0])]),
) as Record<KeyName, ReturnType<typeof parseKeybinding>>;

/** Whether the key is one printed sign, which people who speak to their machine may want off. */
export const isLetter = (name: KeyName) => KEYS[name].shown.length === 1;

const NOT_TEXT = ['checkbox', 'radio', 'range', 'button', 'submit', 'color', 'file'];
const CONTROLS = 'button:not([data-packet]), a, input, select, textarea, summary, [role="slider"]';

/** Whether keys write where the event happened. */
function isText(at: HTMLElement): boolean {
  if (at.tagName === 'INPUT') return !NOT_TEXT.includes((at as HTMLInputElement).type);
  return at.tagName === 'TEXTAREA' || at.tagName === 'SELECT' || at.isContentEditable === true;
}

const covered = () => document.querySelector('dialog[open]') !== null;

function settle() {
  const held = document.activeElement;
  // dials and points in the view are drawn: they are no HTML elements
  if (!(held instanceof HTMLElement || held instanceof SVGElement) || held === document.body) return;
  held.blur();
  held.focus();
}

export class Keyring {
  letters = true;
  private scopes: { acts: Acts; alone: boolean }[] = [];

  constructor(
    private readonly isCovered = covered,
    private readonly letGo = settle,
  ) {}

  /** Bind keys until the result is called; `alone` hides what was bound before. */
  bind(acts: Acts, alone = false): () => void {
    const scope = { acts, alone };
    this.scopes.push(scope);
    return () => void (this.scopes = this.scopes.filter((s) => s !== scope));
  }

  /** Act on a key; a held one acts once, and none acts in a text field or under an open dialog. */
  press(event: KeyboardEvent): void {
    const at = event.target as HTMLElement;
    if (event.defaultPrevented || event.isComposing || isText(at) || this.isCovered()) return;
    for (const { acts, alone } of this.scopes.toReversed()) {
      for (const name of Object.keys(acts) as KeyName[]) {
        if (!parsed[name].some((press) => matchKeyBindingPress(event, press))) continue;
        const key: Key = KEYS[name];
        if ((isLetter(name) && !this.letters) || (key.bare && at.closest(CONTROLS))) return;
        event.preventDefault();
        if (event.repeat) return;
        if (key.settles) this.letGo();
        acts[name]?.(event);
        return;
      }
      if (alone) return;
    }
  }
}

export const keyring = new Keyring();
