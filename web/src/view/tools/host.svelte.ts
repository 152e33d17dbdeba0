/** Holds the tool in hand: gives it the pointer and the keys, locks the camera, and takes its edits. */
import { said } from '../../api/client';
import { app } from '../../state/app.svelte';
import type { Adjusting } from '../../state/chosen.svelte';
import type { Edit } from '../../state/editQueue';
import { keyring } from '../../state/keys';
import { crossed } from '../overlay';
import type { Stage } from '../stage';
import type { Gesture, KeyStroke, Outcome, Spot, Tool, WheelKey } from './tool';

/** What becomes of what a tool does. */
export interface Desk {
  draft(path: string, value: unknown): void;
  /** Shows placements changed together that are not kept yet. */
  adjust?(adjusting: Adjusting): void;
  /** Makes edits; whether they were taken. */
  apply(edits: (Edit | Adjusting)[]): Promise<boolean>;
  /** A draft was given up. */
  cancelled(): void;
  /** A click into the view that no tool wanted. */
  click?(spot: Spot): void;
  /** The pointer rests or moves over the view with nothing in hand; null where it is not. */
  point?(spot: Spot | null): void;
  /** The tool in hand is done with, by Escape or since its edits were made. */
  leave(tool: Tool): void;
}

const ARROWS: Record<string, [right: number, up: number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
};
const WHEEL_KEYS: string[] = ['t', 'y', 'u', 'i'] satisfies WheelKey[];
const STILL = 4; // pixels that a click may move by

export class ToolHost {
  tool = $state.raw<Tool | null>(null);
  /** The mark in hand. */
  held = $state('');
  /** Where the keyboard's cross stands; null while the pointer is used. */
  cross = $state.raw<Spot | null>(null);
  /** Grows with whatever changes what is drawn over the view: each picture, each gesture. */
  turn = $state(0);
  private drafted = false; // what is seen is not kept yet
  private wheelKey: WheelKey | null = null; // that is held down
  private pressed: Spot = { x: 0, y: 0 };
  private last: Spot | null = null; // where the pointer was over the view
  private nudging = false;
  private dragging = false;
  private pointing: { spot: Spot | null } | null = null;
  private release = () => {};
  private drag = new AbortController();
  private readonly listeners = new AbortController();

  constructor(
    readonly stage: Stage,
    private readonly desk: Desk,
  ) {
    const { canvas } = stage;
    const { signal } = this.listeners;
    const listen = <K extends keyof HTMLElementEventMap>(name: K, act: (e: HTMLElementEventMap[K]) => void) =>
      canvas.addEventListener(name, (e) => stage.drawing && act(e), { signal, capture: name === 'pointerdown' });
    listen('pointerdown', (e) => {
      this.pressed = this.spot(e);
      if (this.tool?.paints || (this.tool?.freehand && e.shiftKey)) this.press(e, '');
    });
    listen('pointerup', (e) => this.click(e));
    listen('dblclick', () => void this.finish());
    listen('pointermove', (e) => {
      this.cross = null;
      this.last = this.spot(e);
      if (!e.buttons || this.tool?.paints) this.give({ kind: 'hover', spot: this.last });
      this.point(e.buttons || this.tool?.sets ? null : this.spot(e));
    });
    listen('pointerleave', () => {
      this.last = null;
      this.point(null);
    });
    listen('keydown', (e) => this.steer(e));
    // also as the view leaves the page, when nothing that is shown may change at once
    const key = (e: KeyboardEvent) => WHEEL_KEYS.includes(e.key.toLowerCase()) && !e.ctrlKey && !e.altKey && !e.metaKey;
    const typing = (e: KeyboardEvent) => (e.target as Element).closest('input, textarea, [contenteditable], dialog');
    addEventListener(
      'keydown',
      (e) => {
        if (key(e) && !typing(e)) this.wheelKey = e.key.toLowerCase() as WheelKey;
      },
      { signal },
    );
    addEventListener('keyup', (e) => key(e) && (this.wheelKey = null), { signal });
    addEventListener('blur', () => (this.wheelKey = null), { signal });
    canvas.addEventListener('wheel', (e) => this.wheel(e), { signal, capture: true, passive: false });
    listen('blur', () => queueMicrotask(() => (this.cross = null)));
  }

  dispose() {
    this.take(null);
    this.listeners.abort();
  }

  /** Take a tool in hand, or none; what the one before had begun is given up. */
  take(tool: Tool | null) {
    this.release();
    if (this.dragging) this.giveUp();
    this.tool?.cancel();
    this.drop();
    if (this.drafted) this.desk.cancelled();
    this.drafted = false;
    this.tool = tool;
    this.cross = null;
    this.release = () => {};
    if (!tool?.alone && !tool?.paints && !tool?.wheel) return;
    const set = () => {
      const spot = this.cross ?? (tool.wheel ? this.last : null);
      if (spot) this.give({ kind: 'click', spot });
    };
    if (!tool.alone) {
      // Escape gives up what is drawn, and only then the tool
      const acts = tool.wheel && {
        finish: set,
        back: () => this.type({ kind: 'back' }),
        remove: () => this.type({ kind: 'remove', mark: '' }),
      };
      this.release = keyring.bind({
        ...acts,
        set,
        leave: () => (this.dragging || tool.holds ? this.giveUp() : this.desk.leave(tool)),
      });
      return;
    }
    this.stage.canvas.focus(); // so that the keys act at once
    const back = () => this.type({ kind: 'back' });
    const acts = { finish: () => void this.finish(), back, undo: back, set, leave: () => this.desk.leave(tool) };
    this.release = keyring.bind(acts, true);
  }

  /** What the tool in hand sets has been changed elsewhere. */
  again() {
    const { tool } = this;
    if (tool?.again) this.follow(tool, tool.again());
  }

  drawn() {
    this.turn++;
  }

  /** Told once a picture of the page, however often the pointer moves. */
  private point(spot: Spot | null) {
    if (!this.pointing)
      requestAnimationFrame(() => {
        if (!this.listeners.signal.aborted) this.desk.point?.(this.pointing?.spot ?? null);
        this.pointing = null;
      });
    this.pointing = { spot };
  }

  private spot(event: MouseEvent): Spot {
    const box = this.stage.canvas.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  }

  private click(event: PointerEvent) {
    const spot = this.spot(event);
    if (Math.hypot(spot.x - this.pressed.x, spot.y - this.pressed.y) > STILL) return;
    if (event.button === 2 && this.tool?.wheel) this.give({ kind: 'lift', spot });
    if (event.button !== 0) return;
    if (this.tool?.paints || (this.tool?.freehand && event.shiftKey)) return; // it had the press
    if (this.tool?.sets) this.give({ kind: 'click', spot });
    else this.desk.click?.(spot);
  }

  /** A mark is pressed: it is in hand, wherever the pointer goes, until that lets go of it. */
  press(event: PointerEvent, mark: string) {
    if (event.button !== 0) return;
    event.stopPropagation();
    this.drop();
    this.held = mark;
    this.dragging = true;
    this.stage.controls.enabled = false;
    const { signal } = (this.drag = new AbortController());
    const move = (e: PointerEvent) => this.give({ kind: 'drag', spot: this.spot(e) });
    const letGo = (e: PointerEvent) => {
      this.drop();
      this.give({ kind: 'release', spot: this.spot(e) });
    };
    window.addEventListener('pointermove', move, { signal });
    window.addEventListener('pointerup', letGo, { signal });
    window.addEventListener('pointercancel', () => this.giveUp(), { signal });
    window.addEventListener('keydown', (e) => e.key === 'Escape' && this.giveUp(), { signal });
    this.give({ kind: 'press', mark, spot: this.spot(event) });
  }

  private drop() {
    this.drag.abort();
    this.held = '';
    this.dragging = false;
    this.stage.controls.enabled = true;
  }

  /** Keys on a mark that has the focus. A held key is one edit. */
  markKey(event: KeyboardEvent, mark: string, adds = false) {
    if (event.ctrlKey || event.altKey || event.metaKey) return;
    const way = ARROWS[event.key];
    if (event.key === 'Escape' && this.nudging) this.giveUp();
    else if (way && !adds) this.type({ kind: 'nudge', mark, right: way[0], up: way[1], fine: event.shiftKey });
    else if (event.key === 'Delete' || event.key === 'Backspace') this.type({ kind: 'remove', mark });
    else if (event.key === 'Insert' || (adds && (event.key === 'Enter' || event.key === ' ')))
      this.type({ kind: 'add', mark });
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** A key is let go, or the mark has lost the focus: what it nudged is kept. */
  settle() {
    if (!this.nudging) return;
    this.nudging = false;
    void this.commit();
  }

  private giveUp() {
    this.tool?.cancel();
    this.drafted = this.nudging = false;
    this.drop();
    this.turn++;
    this.desk.cancelled();
  }

  private wheel(event: WheelEvent) {
    if (!this.wheelKey || !this.tool?.wheel || !this.stage.drawing) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    // with Shift, browsers tell the wheel as one that turns sideways
    this.notch(-Math.sign(event.deltaY || event.deltaX), event.shiftKey);
  }

  /** The wheel is turned by a notch, or an arrow key takes its place. */
  private notch(steps: number, fine: boolean) {
    const { tool, wheelKey } = this;
    if (tool?.wheel && wheelKey && steps) this.follow(tool, tool.wheel(wheelKey, fine ? 0.1 * steps : steps));
  }

  private give(gesture: Gesture) {
    const { tool } = this;
    if (tool) this.follow(tool, tool.pointer(gesture));
  }

  private type(stroke: KeyStroke) {
    const { tool } = this;
    if (!tool) return;
    const outcome = tool.key(stroke);
    if (stroke.kind === 'nudge' && outcome === 'draft') this.nudging = true;
    this.follow(tool, outcome);
  }

  /** Do to the tool in hand what no gesture does, and follow what it comes to. */
  act<T extends Tool>(tool: T, does: (tool: T) => Outcome) {
    if (tool === this.tool) this.follow(tool, does(tool));
  }

  private follow(tool: Tool, outcome: Outcome) {
    if (outcome === 'nothing') return;
    this.turn++;
    const draft = outcome === 'draft' ? tool.draft() : null;
    if (draft) {
      this.drafted = true;
      this.desk.draft(draft.path, draft.value);
    }
    const adjusting = outcome === 'draft' ? tool.adjusting?.() : null;
    if (adjusting) {
      this.drafted = true;
      this.desk.adjust?.(adjusting);
    }
    if (outcome === 'commit') void this.commit();
  }

  private async commit(): Promise<boolean> {
    const { tool } = this;
    if (!tool) return false;
    try {
      const edits = tool.commit();
      this.drafted = false;
      this.turn++;
      return edits.length > 0 && (await this.desk.apply(edits));
    } catch (error) {
      app.tell(said(error));
      return false;
    }
  }

  private async finish() {
    const { tool } = this;
    if (tool?.alone && (await this.commit())) this.desk.leave(tool);
  }

  /** The camera, or the cross of a tool that sets points, by keys. */
  private steer(event: KeyboardEvent) {
    if (event.altKey || event.metaKey) return;
    const way = ARROWS[event.key];
    const { stage } = this;
    if (way && this.wheelKey && this.tool?.wheel) this.notch(way[0] + way[1], event.shiftKey);
    else if (way && this.tool?.sets && !event.ctrlKey) this.moveCross(way, event.shiftKey ? 2 : 16);
    else if (way && event.shiftKey) stage.walk(way[0] * 0.06, way[1] * 0.06);
    else if (way) stage.turn(way[0] * 0.09, way[1] * 0.06);
    else if (event.key === '+' || event.key === '=') stage.zoom(0.86);
    else if (event.key === '-') stage.zoom(1 / 0.86);
    else return;
    event.preventDefault();
  }

  private moveCross([right, up]: [number, number], step: number) {
    const size = { x: this.stage.width, y: this.stage.height };
    const from = this.cross ?? { x: size.x / 2, y: size.y / 2 };
    const { cross, walk } = crossed(from, { x: right * step, y: -up * step }, size);
    this.cross = cross;
    if (walk.x || walk.y) this.stage.walk(walk.x / size.y, -walk.y / size.y);
    this.give({ kind: 'hover', spot: cross });
  }
}
