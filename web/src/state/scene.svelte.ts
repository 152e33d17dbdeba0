/** The open scene: its document, what it came to, edits on their way, the live connection. */
import {
  api,
  ApiError,
  said,
  take,
  type Asset,
  type Evaluation,
  type Layer,
  type Release,
  type Scene,
  type Settings,
  type Values,
} from '../api/client';
import { mixOf } from '../layers/kinds';
import { app } from './app.svelte';
import { read, same, writeAll } from './values';

/** An edit as plain values, so that it can wait for the server. */
export type Edit =
  | { op: 'layer'; id: string; name?: string; hidden?: boolean; parameters?: Values }
  | { op: 'move'; id: string; before: string | null }
  | { op: 'removeLayer'; id: string }
  | { op: 'addLayer'; kind: string; name: string; parameters: Values }
  | {
      op: 'asset';
      id: string;
      name?: string;
      parameters?: Values;
      seeds?: number[];
      tags?: string[];
      images?: Record<string, string>;
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
    }
  | { op: 'removeAsset'; id: string }
  | { op: 'scene'; name?: string; settings?: Values }
  | { op: 'undo' }
  | { op: 'redo' };

interface Waiting {
  edit: Edit;
  done: (scene: Scene | null) => void;
}

export class OpenScene {
  scene = $state.raw<Scene | null>(null);
  evaluation = $state.raw<Evaluation | null>(null);
  failure = $state('');
  computing = $state(false);
  offline = $state(false);
  refusal = $state(''); // why the last evaluation or draft was refused
  present = $state<string[]>([]);
  releases = $state.raw<Release[]>([]);
  selected = $state('');
  savedAt = $state<number | null>(null);
  pending = $state(0);
  eye: [number, number, number] = [0, 2, 0];

  readonly id: string;
  private waiting: Waiting[] = [];
  private sending = false;
  private closed = false;
  private socket: WebSocket | null = null;
  private serial = 0;
  private client = crypto.randomUUID();
  private drafts = new AbortController();
  private confirmed: Scene | null = null; // as the server last told it

  canEdit = $derived(this.scene?.role === 'owner' || this.scene?.role === 'editor');

  /** `evaluated` false leaves out what the scene comes to: the bench needs only its document. */
  constructor(
    id: string,
    private readonly evaluated = true,
  ) {
    this.id = id;
    for (const edit of JSON.parse(sessionStorage.getItem(this.storage) ?? '[]') as Edit[])
      this.waiting.push({ edit, done: () => {} });
    void this.open();
  }

  private get storage() {
    return `plough.edits.${this.id}`;
  }

  async open() {
    this.failure = '';
    try {
      await app.loadKinds();
      const scene = await take<Scene>(api.GET('/api/scenes/{scene_id}', { params: { path: { scene_id: this.id } } }));
      this.confirmed = this.scene = scene;
      if (!scene.layers.some((l) => l.id === this.selected))
        this.selected = (scene.layers.find((l) => mixOf(l.kind)) ?? scene.layers[0])?.id ?? '';
      const [first] = scene.settings.viewpoints ?? [];
      if (first) this.eye = first.eye;
      void this.loadReleases();
      this.connect();
      void this.send();
      await this.evaluate();
    } catch (error) {
      this.failure = said(error);
    }
  }

  close() {
    this.closed = true;
    this.socket?.close();
    this.drafts.abort();
  }

  selectFirst() {
    this.selected = this.scene?.layers[0]?.id ?? '';
  }

  layer(id: string): Layer | undefined {
    return this.scene?.layers.find((l) => l.id === id);
  }

  asset(id: string): Asset | undefined {
    return this.scene?.assets.find((a) => a.id === id);
  }

  view(id: string) {
    return this.evaluation?.layers.find((l) => l.id === id);
  }

  async loadReleases() {
    try {
      this.releases = await take(
        api.GET('/api/scenes/{scene_id}/releases', { params: { path: { scene_id: this.id } } }),
      );
    } catch {
      /* shown by the next request that matters */
    }
  }

  /** What the scene comes to now; the last good result stays until the new one is there. */
  async evaluate() {
    if (!this.evaluated) return;
    this.drafts.abort();
    this.drafts = new AbortController();
    const { signal } = this.drafts;
    this.computing = true;
    const [x, y, z] = this.eye;
    try {
      this.evaluation = await take(
        api.GET('/api/scenes/{scene_id}/evaluation', {
          params: { path: { scene_id: this.id }, query: { x, y, z } },
          signal,
        }),
      );
      this.refusal = '';
    } catch (error) {
      if (signal.aborted) return;
      this.note(error);
      this.refusal = said(error);
    }
    if (!signal.aborted) this.computing = false;
  }

  /** What the scene would come to with a layer changed; an older draft is dropped. */
  async draft(layer: string, parameters: Values) {
    this.drafts.abort();
    this.drafts = new AbortController();
    const { signal } = this.drafts;
    this.computing = true;
    const body = { layer, parameters, client: this.client, serial: ++this.serial, eye: this.eye };
    try {
      this.evaluation = await take(
        api.POST('/api/scenes/{scene_id}/draft', { params: { path: { scene_id: this.id } }, body, signal }),
      );
      this.refusal = '';
    } catch (error) {
      if (signal.aborted || (error instanceof ApiError && error.title === 'Superseded')) return;
      this.note(error);
      this.refusal = said(error);
    }
    if (!signal.aborted) this.computing = false;
  }

  private note(error: unknown) {
    if (error instanceof ApiError && error.status === 0) this.offline = true;
    if (error instanceof ApiError && error.status === 401) app.account = null;
  }

  /** Show an edit at once and send it when its turn comes; the scene after it, or null when it was refused. */
  edit(edit: Edit): Promise<Scene | null> {
    this.foresee(edit);
    return new Promise((done) => {
      this.waiting.push({ edit, done });
      this.keep();
      void this.send();
    });
  }

  private foresee(edit: Edit) {
    const scene = this.scene;
    if (!scene) return;
    if (edit.op === 'layer' || edit.op === 'asset') {
      const change = <T extends Layer | Asset>(item: T): T => {
        if (item.id !== edit.id) return item;
        const parameters = edit.parameters ? writeAll(item.parameters, edit.parameters) : item.parameters;
        const rest = Object.fromEntries(
          Object.entries(edit).filter(
            ([k, v]) => ['name', 'hidden', 'seeds', 'tags', 'images'].includes(k) && v !== undefined,
          ),
        );
        return { ...item, ...rest, parameters };
      };
      if (edit.op === 'layer') this.scene = { ...scene, layers: scene.layers.map(change) };
      else this.scene = { ...scene, assets: scene.assets.map(change) };
    } else if (edit.op === 'scene') {
      const settings = edit.settings ? { ...scene.settings, ...(edit.settings as Partial<Settings>) } : scene.settings;
      this.scene = { ...scene, name: edit.name ?? scene.name, settings };
    }
  }

  private keep() {
    this.pending = this.waiting.length;
    if (this.waiting.length) sessionStorage.setItem(this.storage, JSON.stringify(this.waiting.map((w) => w.edit)));
    else sessionStorage.removeItem(this.storage);
  }

  private async send() {
    if (this.sending) return;
    this.sending = true;
    while (this.waiting.length && !this.closed) {
      const { edit, done } = this.waiting[0] as Waiting;
      try {
        const scene = await this.request(edit);
        this.offline = false;
        this.savedAt = Date.now();
        this.waiting.shift();
        this.keep();
        this.confirmed = this.scene = scene;
        for (const later of this.waiting) this.foresee(later.edit);
        if (scene.note) app.tell(scene.note);
        done(scene);
      } catch (error) {
        this.note(error);
        if (error instanceof ApiError && error.status === 0) {
          await new Promise((wake) => setTimeout(wake, 2500));
          continue;
        }
        this.waiting.shift();
        this.keep();
        app.tell(said(error), 'bad');
        await this.reload();
        done(null);
      }
    }
    this.sending = false;
    if (!this.closed) await this.evaluate();
  }

  private async request(edit: Edit, again = true): Promise<Scene> {
    const path = { scene_id: this.id };
    const before = this.confirmed;
    try {
      switch (edit.op) {
        case 'layer': {
          const { name, hidden, parameters } = edit;
          const body = { version: this.layer(edit.id)?.version ?? 1, name, hidden, parameters };
          return await take(
            api.PATCH('/api/scenes/{scene_id}/layers/{layer_id}', {
              params: { path: { ...path, layer_id: edit.id } },
              body,
            }),
          );
        }
        case 'move': {
          const body = { version: this.layer(edit.id)?.version ?? 1, before: edit.before };
          return await take(
            api.POST('/api/scenes/{scene_id}/layers/{layer_id}/move', {
              params: { path: { ...path, layer_id: edit.id } },
              body,
            }),
          );
        }
        case 'removeLayer':
          return await take(
            api.DELETE('/api/scenes/{scene_id}/layers/{layer_id}', {
              params: { path: { ...path, layer_id: edit.id } },
            }),
          );
        case 'addLayer': {
          const { kind, name, parameters } = edit;
          return await take(
            api.POST('/api/scenes/{scene_id}/layers', { params: { path }, body: { kind, name, parameters } }),
          );
        }
        case 'asset': {
          const { name, parameters, seeds, tags, images } = edit;
          const body = { version: this.asset(edit.id)?.version ?? 1, name, parameters, seeds, tags, images };
          return await take(
            api.PATCH('/api/scenes/{scene_id}/assets/{asset_id}', {
              params: { path: { ...path, asset_id: edit.id } },
              body,
            }),
          );
        }
        case 'addAsset': {
          const { kind, name, parameters, seeds, tags = [], images = {} } = edit;
          return await take(
            api.POST('/api/scenes/{scene_id}/assets', {
              params: { path },
              body: { kind, name, parameters, seeds, tags, images },
            }),
          );
        }
        case 'returnTo':
          return await take(
            api.POST('/api/scenes/{scene_id}/assets/{asset_id}/revisions/{number}/return', {
              params: { path: { ...path, asset_id: edit.id, number: edit.number } },
            }),
          );
        case 'removeAsset':
          return await take(
            api.DELETE('/api/scenes/{scene_id}/assets/{asset_id}', {
              params: { path: { ...path, asset_id: edit.id } },
            }),
          );
        case 'scene': {
          const body = { version: this.scene?.version ?? 1, name: edit.name, settings: edit.settings };
          return await take(api.PATCH('/api/scenes/{scene_id}', { params: { path }, body }));
        }
        case 'undo':
          return await take(api.POST('/api/scenes/{scene_id}/undo', { params: { path } }));
        case 'redo':
          return await take(api.POST('/api/scenes/{scene_id}/redo', { params: { path } }));
      }
    } catch (error) {
      // another's edit came first: when it was about other fields, this one is made against the new version
      if (error instanceof ApiError && error.status === 409 && error.current && again) {
        const current = error.current as Scene;
        const clash = this.clashes(edit, before, current);
        this.scene = current;
        if (!clash) return this.request(edit, false);
      }
      throw error;
    }
  }

  private clashes(edit: Edit, before: Scene | null, current: Scene): boolean {
    if (edit.op !== 'layer' && edit.op !== 'asset') return false;
    const list = edit.op === 'layer' ? 'layers' : 'assets';
    const old = before?.[list].find((x) => x.id === edit.id);
    const now = current[list].find((x) => x.id === edit.id);
    if (!old || !now) return !now;
    return Object.keys(edit.parameters ?? {}).some((k) => !same(read(old.parameters, k), read(now.parameters, k)));
  }

  async reload() {
    try {
      this.confirmed = this.scene = await take(
        api.GET('/api/scenes/{scene_id}', { params: { path: { scene_id: this.id } } }),
      );
      if (!this.layer(this.selected)) this.selectFirst();
    } catch (error) {
      this.note(error);
    }
  }

  private connect() {
    if (this.socket || this.closed) return;
    const socket = new WebSocket(
      `${location.protocol === 'https:' ? 'wss' : 'ws'}://${location.host}/api/scenes/${this.id}/live`,
    );
    this.socket = socket;
    socket.onopen = () => {
      if (this.offline) void this.reload().then(() => this.evaluate());
      this.offline = false;
    };
    socket.onmessage = (message) => void this.hear(JSON.parse(message.data as string) as Record<string, unknown>);
    socket.onclose = () => {
      this.socket = null;
      if (!this.closed) setTimeout(() => this.connect(), 2000);
    };
    socket.onerror = () => {
      if (!this.closed) this.offline = true;
    };
  }

  private async hear(message: Record<string, unknown>) {
    if (message.type === 'presence') this.present = message.names as string[];
    if (message.type === 'edit') {
      if ((message.number as number) <= (this.scene?.edits ?? 0) || this.waiting.length) return;
      await this.reload();
      if (message.author !== app.account) app.tell(`${message.author as string}: ${message.title as string}`);
      await this.evaluate();
    }
    if (message.type === 'release') {
      const number = message.release as number;
      const known = this.releases.find((r) => r.number === number);
      const ended = ['done', 'failed', 'cancelled'].includes(message.state as string);
      if (!known || ended) await this.loadReleases();
      else
        this.releases = this.releases.map((r) =>
          r.number === number ? { ...r, ...(message as Partial<Release>), number } : r,
        );
    }
    if (message.type === 'members') await this.reload();
    if (message.type === 'resumed') {
      await this.reload();
      await this.evaluate();
    }
  }
}
