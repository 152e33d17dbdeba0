/** What each viewpoint shows, kept with a release, so that releases can be compared by eye. */
import { bytes, said, type Viewpoint } from '../api/client';
import { app } from './app.svelte';

/** Takes a picture from a viewpoint; `say` is told how far it is, from 0 to 1. */
export type Camera = (from: Viewpoint, say: (done: number) => void, signal: AbortSignal) => Promise<Blob>;

export class Stills {
  /** How far they are, from 0 to 1; null where none are taken. */
  progress = $state<number | null>(null);
  private running = new AbortController();
  private view: Camera | null = null;
  private readonly waiting: (() => void)[] = []; // for a view

  constructor(private readonly scene: string) {}

  /** Set by the view while it shows the whole scene; null while it does not. */
  set camera(view: Camera | null) {
    this.view = view;
    if (view) for (const go of this.waiting.splice(0)) go();
  }

  private async ready(signal: AbortSignal): Promise<Camera> {
    while (!this.view)
      await new Promise<void>((done, failed) => {
        this.waiting.push(done);
        signal.addEventListener('abort', () => failed(signal.reason as Error), { once: true });
      });
    return this.view;
  }

  /** A picture from a viewpoint; one that is left half-way is taken anew when the view is back. */
  private async take(from: Viewpoint, say: (done: number) => void, signal: AbortSignal): Promise<Blob> {
    for (;;) {
      const view = await this.ready(signal);
      say(0);
      try {
        return await view(from, say, signal);
      } catch (error) {
        if (signal.aborted || this.view === view) throw error;
      }
    }
  }

  /** Take one of each viewpoint for a release, one after the other, as soon as the view shows the scene. */
  async keep(release: number, viewpoints: readonly Viewpoint[]) {
    if (!viewpoints.length) return;
    this.cancel();
    const { signal } = (this.running = new AbortController());
    try {
      for (const [k, from] of viewpoints.entries()) {
        const say = (done: number) => (this.progress = (k + done) / viewpoints.length);
        say(0);
        const body = await this.take(from, say, signal);
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
