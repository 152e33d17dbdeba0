/** The open scene: its document, what it came to, edits on their way, the live connection. */
import {
  ApiError,
  said,
  type Asset,
  type Evaluation,
  type Layer,
  type Compared,
  type Release,
  type Scene,
  type Values,
} from '../api/client';
import { mixOf, placedOf } from '../layers/kinds';
import { app } from './app.svelte';
import type { Adjusting } from './chosen.svelte';
import { DraftChannel } from './draftChannel';
import { EditQueue, type Edit, type Pause, type Queued } from './editQueue';
import { keepFor } from './keep';
import type { Message } from './liveSocket';
import { SceneServer, type Draft, type Server } from './server';
import { clashes, foreseen } from './foresee';
import { Stills } from './stills.svelte';
import { Trials, type Camera } from './trials.svelte';
import { SceneTrouble } from './trouble.svelte';

const HELD = 700; // milliseconds after which what is dragged is taken to be held still

export class SceneStore {
  scene = $state.raw<Scene | null>(null);
  evaluation = $state.raw<Evaluation | null>(null);
  failure = $state('');
  computing = $state(false);
  offline = $state(false);
  refusal = $state(''); // why the last evaluation or draft was refused
  present = $state<string[]>([]);
  releases = $state.raw<Release[]>([]);
  /** Two releases whose differences are shown in the view. */
  marked = $state.raw<Compared | null>(null);
  selected = $state('');
  /** The layer that the pointer is over in the view; none by ''. */
  pointed = $state('');
  /** Whether the view is to show the whole scene once it has caught up. */
  reframe = false;
  pending = $state(0);
  /** From where the scene is weighed; null until the view stands somewhere. */
  eye: [number, number, number] | null = null;

  /** Values of a number that are tried side by side. */
  trials = $state.raw<Trials | null>(null);
  /** Takes the pictures of trials; set by the view while it shows the scene. */
  camera: Camera | null = null;

  /** Whether the scene is seen as it was before its last edit. */
  before = $state(false);
  /** What it came to then; null before there was one. */
  previous = $state.raw<Evaluation | null>(null);
  private kept: Evaluation | null = null; // what it came to lastly that is no draft

  pause = $state<Pause>(''); // why edits are not sent

  readonly id: string;
  readonly stills: Stills;
  readonly trouble: SceneTrouble;
  private queue: EditQueue | null = null;
  private closed = false;
  private socket: { close(): void } | null = null;
  private readonly leave: () => void;
  private asked = 0; // evaluations so far
  private asleep = false;
  private stale = false; // what the scene came to while it was asleep is not known
  private confirmed: Scene | null = null; // as the server last told it
  private tried: Draft = { layer: '', parameters: {} };
  private whole: ReturnType<typeof setTimeout> | undefined; // when what is held still is drawn whole
  private readonly drafts = new DraftChannel<Draft, Evaluation>(
    (ask: Draft) => this.server.draft(ask, this.eye ?? [0, 2, 0]),
    (evaluation) => {
      this.evaluation = evaluation;
      this.refusal = '';
      if (evaluation.layers.some((l) => (l.placements?.share ?? 1) < 1))
        this.whole = setTimeout(() => this.drafts.ask({ ...this.tried, light: false }), HELD);
    },
    (error) => {
      if (error instanceof ApiError && error.title === 'Superseded') return;
      this.note(error);
      this.refusal = said(error);
    },
    (busy) => (this.computing = busy),
  );

  canEdit = $derived(this.scene?.role === 'owner' || this.scene?.role === 'editor');

  /** `evaluated` false leaves out what the scene comes to: the bench needs only its document. */
  constructor(
    id: string,
    private readonly evaluated = true,
    private readonly server: Server = new SceneServer(id),
    private readonly keep = keepFor,
  ) {
    this.id = id;
    this.stills = new Stills(id);
    this.trouble = new SceneTrouble({ server, edit: (edit) => this.edit(edit) });
    this.leave = app.onSignedIn(() => {
      this.queue?.resume();
      void this.reload().then(() => this.evaluate());
    });
    void this.open();
  }

  async open() {
    this.failure = '';
    try {
      const coming = this.evaluate(); // it needs nothing that the others tell
      const [scene] = await Promise.all([this.server.scene(), app.loadKinds()]);
      this.confirmed = this.scene = scene;
      if (!scene.layers.some((l) => l.id === this.selected))
        this.selected = (scene.layers.find((l) => mixOf(l.kind)) ?? scene.layers[0])?.id ?? '';
      void this.loadReleases();
      this.connect();
      await Promise.all([this.openQueue(), coming]);
    } catch (error) {
      this.failure = said(error);
    }
  }

  private async openQueue() {
    if (this.queue) {
      this.queue.resume();
      return;
    }
    this.queue = new EditQueue(this.keep(app.account ?? '', this.id), (queued) => this.request(queued), {
      made: (scene, _, later) => {
        this.offline = false;
        this.confirmed = scene;
        this.scene = later.reduce(foreseen, scene);
        if (scene.note) app.tell(scene.note);
        if (!later.length) void this.evaluate();
      },
      refused: async (error) => {
        app.tell(said(error), 'bad');
        await this.reload();
        void this.evaluate();
      },
      changed: (waiting, pause) => {
        if (pause === 'signed out' && this.pause !== pause) app.expired();
        this.pending = waiting;
        this.pause = pause;
        this.offline = pause === 'offline';
      },
    });
    await this.queue.load();
  }

  close() {
    this.closed = true;
    this.stills.cancel();
    this.trouble.end();
    this.endTrials();
    this.leave();
    this.socket?.close();
    this.queue?.close();
    this.endDrafts();
  }

  private endDrafts() {
    clearTimeout(this.whole);
    this.drafts.cancel();
  }

  /** While nobody looks, the scene is not evaluated. */
  sleep() {
    this.asleep = true;
  }

  wake() {
    this.asleep = false;
    if (this.stale) void this.evaluate();
  }

  /** The layer whose elevation is in the tray; empty: none. */
  elevation = $state('');
  /** The layer that is seen alone, for these eyes; empty: all are. */
  alone = $state('');

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
      this.releases = await this.server.releases();
    } catch {
      /* shown by the next request that matters */
    }
  }

  /** What the scene comes to now; the last good result stays until the new one is there. */
  async evaluate() {
    if (!this.evaluated || this.closed) return;
    this.stale = this.asleep;
    if (this.asleep) return;
    this.endDrafts();
    const mine = ++this.asked;
    this.computing = true;
    try {
      const evaluation = await this.server.evaluation(this.eye);
      if (mine !== this.asked) return;
      if (this.kept && evaluation.edits > this.kept.edits) this.previous = this.kept;
      this.evaluation = this.kept = evaluation;
      this.refusal = '';
      void this.trouble.look(evaluation.edits);
    } catch (error) {
      if (mine !== this.asked) return;
      this.note(error);
      this.refusal = said(error);
    }
    this.computing = false;
  }

  /** What the scene would come to with a layer changed; a newer draft waits for the one on its way. */
  draft(layer: string, parameters: Values) {
    this.before = false;
    this.asked++; // an evaluation that is on its way is older than this
    clearTimeout(this.whole);
    this.tried = { layer, parameters, light: true };
    this.drafts.ask(this.tried);
  }

  /** What the scene would come to with placements changed together. */
  draftAdjust({ id, things, change }: Adjusting) {
    this.asked++;
    clearTimeout(this.whole);
    this.tried = { layer: id, parameters: {}, adjust: { things, change } };
    this.drafts.ask(this.tried);
  }

  /** Change placements together, as one edit; whether it could be. */
  async adjust({ id, things, change }: Adjusting): Promise<boolean> {
    try {
      const { parameters, told } = await this.server.adjusted(id, things, change);
      if (told) app.tell(told);
      if (!Object.keys(parameters).length) {
        void this.evaluate(); // a draft may be seen
        return true;
      }
      return (await this.edit({ op: 'layer', id, parameters })) !== null;
    } catch (error) {
      app.tell(said(error), 'bad');
      void this.evaluate();
      return false;
    }
  }

  /** Make placements of a layer a group: an asset that is set down where they stood; of a rule, on a layer of its own. */
  async gather(layer: string, things: string[], name: string): Promise<boolean> {
    try {
      const made = await this.server.gather(layer, things);
      const { kind, parameters } = made;
      const id = (await this.edit({ op: 'addAsset', kind, name, parameters, seeds: [1] }))?.created_id;
      const of = this.layer(layer);
      if (!id || !of) return false;
      const own = placedOf(of.kind) && mixOf(of.kind);
      const byHand = own ? of.kind : (app.layers.find((k) => placedOf(k.name))?.name ?? '');
      const [path, mix] = [placedOf(byHand)?.path, mixOf(byHand)?.path];
      if (!path || !mix) return false;
      const entry = { asset: id, weight: 1 };
      const placed = { ...made.placed, asset: id };
      if (own) {
        const all = [...((of.parameters[mix] ?? []) as object[]), entry];
        const changed = { ...made.layer, [mix]: all, [`${path}#${id}`]: placed };
        return (await this.edit({ op: 'layer', id: layer, parameters: changed, joined: true })) !== null;
      }
      await this.edit({ op: 'layer', id: layer, parameters: made.layer, joined: true });
      const added = { [mix]: [entry], [path]: [{ ...placed, id }] };
      const scene = await this.edit({ op: 'addLayer', kind: byHand, name, parameters: added, joined: true });
      if (scene?.created_id) this.selected = scene.created_id;
      return scene !== null;
    } catch (error) {
      app.tell(`they could not be grouped: ${said(error)}`, 'bad');
      return false;
    }
  }

  /** Try a number of the selected layer at several values; what is tried already ends. */
  try(path: string, count: 3 | 5 = 5) {
    this.endTrials();
    if (!this.camera) return;
    const eye = this.eye ?? [0, 2, 0];
    const server = {
      trials: (layer: string, at: string, n: 3 | 5) => this.server.trials(layer, at, n, eye),
      draft: (layer: string, parameters: Values) => this.server.draft({ layer, parameters }, eye),
    };
    this.trials = new Trials(server, this.selected, path, count);
    void this.trials.run(this.camera);
  }

  endTrials() {
    this.trials?.end();
    this.trials = null;
  }

  /** What the view shows: one of the trials, or the scene as it is, or was before its last edit. */
  get shown(): Evaluation | null {
    return this.trials?.seen ?? (this.before && this.previous ? this.previous : this.evaluation);
  }

  private note(error: unknown) {
    if (error instanceof ApiError && error.status === 0) this.offline = true;
    if (error instanceof ApiError && error.status === 401) app.expired();
  }

  /** Show an edit at once and send it when its turn comes; the scene after it, or null when it was refused. */
  edit(edit: Edit): Promise<Scene | null> {
    if (!this.queue) return Promise.resolve(null);
    this.endTrials();
    this.before = false;
    if (this.scene) this.scene = foreseen(this.scene, edit);
    return this.queue.push(edit);
  }

  private async request(queued: Queued, again = true): Promise<Scene> {
    const before = this.confirmed;
    const versions = {
      layer: (id: string) => this.layer(id)?.version ?? 1,
      asset: (id: string) => this.asset(id)?.version ?? 1,
      scene: this.scene?.version ?? 1,
    };
    try {
      return await this.server.send(queued, versions);
    } catch (error) {
      // another's edit came first: when it was about other fields, this one is made against the new version
      if (!(error instanceof ApiError) || error.status !== 409 || !error.current || !again) throw error;
      const current = error.current as Scene;
      const clash = clashes(queued.edit, before, current);
      this.confirm(current);
      if (clash) throw error;
      return this.request(queued, false);
    }
  }

  /** The scene as the server has it; what still waits is shown over it. */
  private confirm(scene: Scene) {
    this.confirmed = scene;
    this.scene = (this.queue?.edits ?? []).reduce(foreseen, scene);
  }

  async reload() {
    try {
      this.confirm(await this.server.scene());
      if (!this.layer(this.selected)) this.selectFirst();
    } catch (error) {
      this.note(error);
    }
  }

  private connect() {
    if (this.socket || this.closed) return;
    this.socket = this.server.live({
      opened: (edits) => {
        this.offline = false;
        this.queue?.resume();
        if (edits > (this.confirmed?.edits ?? 0)) void this.reload().then(() => this.evaluate());
      },
      heard: (message) => void this.hear(message),
      lost: () => {
        if (!this.closed) this.offline = true;
      },
    });
  }

  private async hear(message: Message) {
    if (message.type === 'presence') this.present = message.names as string[];
    if (message.type === 'edit') {
      // one's own edits are told by their answers; what others do is never missed for them
      if ((message.number as number) <= (this.confirmed?.edits ?? 0)) return;
      if (message.author === app.account && !this.queue?.idle) return;
      this.endTrials(); // they are of a scene that is no more
      await this.reload();
      if (message.author !== app.account) app.tell(`${message.author as string}: ${message.title as string}`);
      await this.evaluate();
    }
    if (message.type === 'release') {
      const number = message.release as number;
      const known = this.releases.find((r) => r.number === number);
      const ended = ['done', 'failed', 'cancelled', 'deleted'].includes(message.state as string);
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
