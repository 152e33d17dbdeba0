/** Edits on their way to the server: in order, one at a time, kept until the server has answered, made once. */
import { ApiError, type LayerGame, type Scene, type Shadow, type Values } from '../api/client';

export type Notes = Record<string, string>;

/** An edit as plain values, so that it can wait for the server. */
export type Edit = Change & { joined?: true }; // undone and redone together with the one before it

type Change =
  | {
      op: 'layer';
      id: string;
      name?: string;
      hidden?: boolean;
      locked?: boolean;
      shadow?: Shadow;
      parameters?: Values;
      notes?: Notes;
      game?: LayerGame;
    }
  | { op: 'move'; id: string; before: string | null }
  | { op: 'removeLayer'; id: string }
  | {
      op: 'addLayer';
      kind: string;
      name: string;
      parameters: Values;
      before?: string | null;
      shadow?: Shadow;
      notes?: Notes;
      game?: LayerGame;
    }
  | {
      op: 'asset';
      id: string;
      name?: string;
      parameters?: Values;
      seeds?: number[];
      tags?: string[];
      images?: Record<string, string>;
      notes?: Notes;
    }
  | { op: 'returnTo'; id: string; number: number }
  | {
      op: 'addAsset';
      kind: string;
      name: string;
      parameters: Values;
      seeds: number[];
      tags?: string[];
      images?: Record<string, string>;
      notes?: Notes;
    }
  | { op: 'removeAsset'; id: string }
  | { op: 'scene'; name?: string; settings?: Values }
  | { op: 'takeBack'; release: number }
  | { op: 'undo' }
  | { op: 'redo' };

export interface Queued {
  key: string; // tells the server that it has this edit already
  edit: Edit;
}

/** Where edits outlast the window: entries by name. */
export interface Keep {
  all(): Promise<[string, Queued][]>;
  set(name: string, value: Queued): Promise<void>;
  remove(name: string): Promise<void>;
}

export type Pause = '' | 'offline' | 'server' | 'signed out';

export interface Listener {
  /** The server has made an edit; `later` are those still waiting. */
  made(scene: Scene, edit: Edit, later: Edit[]): void;
  /** The server has refused an edit, for good. */
  refused(error: unknown, edit: Edit): Promise<void> | void;
  /** How many wait, and why nothing is sent. */
  changed(waiting: number, pause: Pause): void;
}

interface Waiting extends Queued {
  done: (scene: Scene | null) => void;
}

/** Why a failure only pauses; empty where it is an answer. */
export function pauses(error: unknown): Pause {
  if (!(error instanceof ApiError)) return '';
  if (error.status === 0) return 'offline';
  if (error.status === 401) return 'signed out';
  return error.status >= 500 || error.status === 429 ? 'server' : '';
}

const FIRST = 1000; // milliseconds to the next try, twice as many each time
const LAST = 20_000;

export class EditQueue {
  private waiting: Waiting[] = [];
  private sending = false;
  private closed = false;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private wait = FIRST;
  pause: Pause = '';

  constructor(
    private readonly keep: Keep,
    private readonly send: (queued: Queued) => Promise<Scene>,
    private readonly listener: Listener,
  ) {}

  /** Take up what an earlier window has left. */
  async load() {
    const left = await this.keep.all();
    left.sort(([a], [b]) => (a < b ? -1 : 1));
    const known = new Set(this.waiting.map((w) => w.key));
    const earlier = left.filter(([, q]) => !known.has(q.key)).map(([, q]) => ({ ...q, done: () => {} }));
    this.waiting = [...earlier, ...this.waiting];
    this.tell();
    void this.run();
  }

  get edits(): Edit[] {
    return this.waiting.map((w) => w.edit);
  }

  get idle(): boolean {
    return !this.waiting.length;
  }

  /** Send an edit when its turn comes; the scene after it, or null when it was refused. */
  push(edit: Edit): Promise<Scene | null> {
    const key = crypto.randomUUID();
    return new Promise((done) => {
      const entry: Waiting = { key, edit, done };
      this.waiting.push(entry);
      this.tell();
      void this.keep.set(this.nameOf(entry), { key, edit }).finally(() => void this.run());
    });
  }

  private names = new Map<string, string>();
  private count = 0;

  private nameOf(entry: Queued): string {
    let name = this.names.get(entry.key);
    if (!name) {
      // in order of time, and of number within a millisecond
      name = `${Date.now().toString(36).padStart(9, '0')}-${(this.count++).toString(36).padStart(6, '0')}-${entry.key}`;
      this.names.set(entry.key, name);
    }
    return name;
  }

  /** Try again at once: the server is back, or somebody has signed in. */
  resume() {
    clearTimeout(this.timer);
    this.timer = undefined;
    this.wait = FIRST;
    void this.run();
  }

  close() {
    this.closed = true;
    clearTimeout(this.timer);
  }

  private tell() {
    this.listener.changed(this.waiting.length, this.pause);
  }

  private async run() {
    if (this.sending || this.closed || this.timer) return;
    this.sending = true;
    try {
      while (this.waiting.length && !this.closed) {
        const first = this.waiting[0] as Waiting;
        try {
          const scene = await this.send(first);
          this.pause = '';
          this.wait = FIRST;
          await this.drop(first);
          this.listener.made(scene, first.edit, this.edits);
          first.done(scene);
        } catch (error) {
          this.pause = pauses(error);
          if (this.pause) {
            this.tell();
            this.later();
            return;
          }
          await this.drop(first);
          await this.listener.refused(error, first.edit);
          first.done(null);
        }
      }
    } finally {
      this.sending = false;
      this.tell();
    }
  }

  private later() {
    if (this.pause === 'signed out') return; // until somebody has signed in
    this.timer = setTimeout(() => {
      this.timer = undefined;
      void this.run();
    }, this.wait);
    this.wait = Math.min(LAST, this.wait * 2);
  }

  private async drop(entry: Waiting) {
    this.waiting = this.waiting.filter((w) => w !== entry);
    const stored = (await this.keep.all()).filter(([, q]) => q.key === entry.key);
    await Promise.all(stored.map(([name]) => this.keep.remove(name)));
    this.names.delete(entry.key);
    this.tell();
  }
}
