/** What an open scene asks of the server: one request for each edit, and what the scene comes to. */
import {
  api,
  take,
  type Adjusted,
  type Evaluation,
  type Gathered,
  type Mend,
  type Release,
  type Scene,
  type TrialSet,
  type Trouble,
  type Values,
} from '../api/client';
import type { Change } from './chosen.svelte';
import type { Edit, Queued } from './editQueue';
import { LiveSocket, type Live } from './liveSocket';

export type Eye = [x: number, y: number, z: number];

/** The version that an edit of a thing is made against. */
export interface Versions {
  layer(id: string): number;
  asset(id: string): number;
  scene: number;
}

export interface Draft {
  layer: string;
  parameters: Values;
  light?: boolean; // a part of very much is enough
  adjust?: { things: string[]; change: Change }; // placements of it that are changed besides
}

export interface Server {
  scene(): Promise<Scene>;
  releases(): Promise<Release[]>;
  /** `eye` null: as seen from the first viewpoint. */
  evaluation(eye: Eye | null): Promise<Evaluation>;
  draft(draft: Draft, eye: Eye): Promise<Evaluation>;
  send(queued: Queued, versions: Versions): Promise<Scene>;
  trials(layer: string, path: string, count: 3 | 5, eye: Eye): Promise<TrialSet>;
  /** What is wrong in the scene. */
  trouble(): Promise<Trouble>;
  /** The edits that put findings right. */
  mends(findings: string[]): Promise<Mend[]>;
  /** The edit of a layer by which placements of it are changed. */
  adjusted(layer: string, things: string[], change: Change): Promise<Adjusted>;
  /** What makes a group of placements. */
  gather(layer: string, things: string[]): Promise<Gathered>;
  live(live: Live): { close(): void };
}

export class SceneServer implements Server {
  private readonly client = crypto.randomUUID();
  private serial = 0;

  constructor(private readonly id: string) {}

  private get path() {
    return { scene_id: this.id };
  }

  scene() {
    return take<Scene>(api.GET('/api/scenes/{scene_id}', { params: { path: this.path } }));
  }

  releases() {
    return take<Release[]>(api.GET('/api/scenes/{scene_id}/releases', { params: { path: this.path } }));
  }

  evaluation(eye: Eye | null) {
    const query = eye ? { x: eye[0], y: eye[1], z: eye[2] } : {};
    return take<Evaluation>(api.GET('/api/scenes/{scene_id}/evaluation', { params: { path: this.path, query } }));
  }

  draft(draft: Draft, eye: Eye) {
    const adjust = draft.adjust && { ...draft.adjust, change: wholly(draft.adjust.change) };
    const body = { light: false, ...draft, adjust, client: this.client, serial: ++this.serial, eye };
    return take<Evaluation>(api.POST('/api/scenes/{scene_id}/draft', { params: { path: this.path }, body }));
  }

  trials(layer: string, path: string, count: 3 | 5, eye: Eye) {
    const body = { layer, path, count, eye };
    return take<TrialSet>(api.POST('/api/scenes/{scene_id}/trials', { params: { path: this.path }, body }));
  }

  trouble() {
    return take<Trouble>(api.GET('/api/scenes/{scene_id}/trouble', { params: { path: this.path } }));
  }

  mends(findings: string[]) {
    const body = { findings };
    return take<Mend[]>(api.POST('/api/scenes/{scene_id}/trouble/mend', { params: { path: this.path }, body }));
  }

  adjusted(layer: string, things: string[], change: Change) {
    const path = { ...this.path, layer_id: layer };
    const body = { things, change: wholly(change) };
    return take<Adjusted>(api.POST('/api/scenes/{scene_id}/layers/{layer_id}/adjust', { params: { path }, body }));
  }

  gather(layer: string, things: string[]) {
    const path = { ...this.path, layer_id: layer };
    return take<Gathered>(
      api.POST('/api/scenes/{scene_id}/layers/{layer_id}/gather', { params: { path }, body: { things } }),
    );
  }

  live(live: Live) {
    const scheme = location.protocol === 'https:' ? 'wss' : 'ws';
    return new LiveSocket(`${scheme}://${location.host}/api/scenes/${this.id}/live`, live);
  }

  send({ edit, key }: Queued, versions: Versions): Promise<Scene> {
    const header = { 'Idempotency-Key': key, 'Edit-Joined': Boolean(edit.joined) };
    const { path } = this;
    switch (edit.op) {
      case 'layer':
      case 'move':
      case 'removeLayer':
        return this.sendLayer(edit, header, versions.layer(edit.id));
      case 'asset':
      case 'returnTo':
      case 'removeAsset':
        return this.sendAsset(edit, header, versions.asset(edit.id));
      case 'addLayer': {
        const { kind, name, parameters, before, shadow = 'casts', notes = {}, game } = edit;
        const body = { kind, name, parameters, before, shadow, notes, game };
        return take(api.POST('/api/scenes/{scene_id}/layers', { params: { path, header }, body }));
      }
      case 'addAsset': {
        const { kind, name, parameters, seeds, tags = [], images = {}, notes = {} } = edit;
        const body = { kind, name, parameters, seeds, tags, images, notes };
        return take(api.POST('/api/scenes/{scene_id}/assets', { params: { path, header }, body }));
      }
      case 'scene': {
        const body = { version: versions.scene, name: edit.name, settings: edit.settings };
        return take(api.PATCH('/api/scenes/{scene_id}', { params: { path, header }, body }));
      }
      case 'takeBack': {
        const params = { path: { ...path, number: edit.release }, header };
        return take(api.POST('/api/scenes/{scene_id}/releases/{number}/take-back', { params }));
      }
      case 'undo':
        return take(api.POST('/api/scenes/{scene_id}/undo', { params: { path, header } }));
      case 'redo':
        return take(api.POST('/api/scenes/{scene_id}/redo', { params: { path, header } }));
    }
  }

  private sendLayer(
    edit: Extract<Edit, { op: 'layer' | 'move' | 'removeLayer' }>,
    header: { 'Idempotency-Key': string },
    version: number,
  ): Promise<Scene> {
    const params = { path: { ...this.path, layer_id: edit.id }, header };
    if (edit.op === 'removeLayer') return take(api.DELETE('/api/scenes/{scene_id}/layers/{layer_id}', { params }));
    if (edit.op === 'move') {
      const body = { version, before: edit.before };
      return take(api.POST('/api/scenes/{scene_id}/layers/{layer_id}/move', { params, body }));
    }
    const { name, hidden, locked, shadow, parameters, notes, game } = edit;
    const body = { version, name, hidden, locked, shadow, parameters, notes, game };
    return take(api.PATCH('/api/scenes/{scene_id}/layers/{layer_id}', { params, body }));
  }

  private sendAsset(
    edit: Extract<Edit, { op: 'asset' | 'returnTo' | 'removeAsset' }>,
    header: { 'Idempotency-Key': string },
    version: number,
  ): Promise<Scene> {
    const path = { ...this.path, asset_id: edit.id };
    const params = { path, header };
    if (edit.op === 'removeAsset') return take(api.DELETE('/api/scenes/{scene_id}/assets/{asset_id}', { params }));
    if (edit.op === 'returnTo')
      return take(
        api.POST('/api/scenes/{scene_id}/assets/{asset_id}/revisions/{number}/return', {
          params: { path: { ...path, number: edit.number } },
        }),
      );
    const { name, parameters, seeds, tags, images, notes } = edit;
    const body = { version, name, parameters, seeds, tags, images, notes };
    return take(api.PATCH('/api/scenes/{scene_id}/assets/{asset_id}', { params, body }));
  }
}

/** With what is not said. */
const wholly = (change: Change) => ({
  relative: true,
  axes: 'scene' as const,
  about: 'each' as const,
  up: '' as const,
  do: '' as const,
  ...change,
});
