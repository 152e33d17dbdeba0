/** What each viewpoint shows, kept with a release, so that releases can be compared by eye. */
import { bytes, said, type Viewpoint } from '../api/client';
import { app } from './app.svelte';

/** Takes a picture from a viewpoint; `say` is told how far it is, from 0 to 1. */
export type Camera = (from: Viewpoint, say: (done: number) => void, signal: AbortSignal) => Promise<Blob>;

export class Stills {
  /** Set by the view while it shows the whole scene. */
  camera: Camera | null = null;
  /** How far they are, from 0 to 1; null where none are taken. */
  progress = $state<number | null>(null);
  private running = new AbortController();

  constructor(private readonly scene: string) {}

  /** Take one of each viewpoint for a release, one after the other. */
  async keep(release: number, viewpoints: readonly Viewpoint[]) {
    const { camera } = this;
    if (!camera || !viewpoints.length) return;
    this.cancel();
    const { signal } = (this.running = new AbortController());
    try {
      for (const [k, from] of viewpoints.entries()) {
        const say = (done: number) => (this.progress = (k + done) / viewpoints.length);
        say(0);
        const body = await camera(from, say, signal);
        const address = `/api/scenes/${this.scene}/releases/${release}/stills/${encodeURIComponent(from.id)}`;
        await bytes(address, { method: 'PUT', body, headers: { 'Content-Type': 'image/jpeg' }, signal });
      }
    } catch (error) {
      if (!signal.aborted) app.tell(`not every still of release ${release} could be kept: ${said(error)}`, 'bad');
    }
    if (this.running.signal === signal) this.progress = null;
  }

  cancel() {
    this.running.abort();
    this.progress = null;
  }
}
