import { afterEach, describe, expect, it, vi } from 'vitest';
import type { Viewpoint } from '../api/client';
import type { Camera } from './stills.svelte';

vi.stubGlobal('localStorage', { getItem: () => null, setItem: () => {} });
vi.stubGlobal('matchMedia', () => ({ matches: false, addEventListener: () => {} }));
const { app } = await import('./app.svelte');
const { Stills } = await import('./stills.svelte');

const viewpoints = ['bank', 'lode', 'mill'].map((id) => ({ id, name: id }) as Viewpoint);
const picture = (from: Viewpoint) => new Blob([from.id], { type: 'image/jpeg' });

function server(answer: () => Response = () => new Response('{}')) {
  const sent: [string, string][] = [];
  vi.stubGlobal('fetch', async (address: string, init: RequestInit) => {
    init.signal?.throwIfAborted();
    sent.push([address, await (init.body as Blob).text()]);
    return answer();
  });
  return sent;
}

afterEach(() => void vi.restoreAllMocks());

describe('stills of a release', () => {
  it('are one of each viewpoint, in order, and say how far they are', async () => {
    const sent = server();
    const stills = new Stills('fen');
    const seen: (number | null)[] = [];
    stills.camera = (from, say) => {
      say(0.5);
      seen.push(stills.progress);
      return Promise.resolve(picture(from));
    };
    await stills.keep(4, viewpoints);
    expect(sent).toEqual(['bank', 'lode', 'mill'].map((id) => [`/api/scenes/fen/releases/4/stills/${id}`, id]));
    expect(seen.map((share) => Math.round(100 * (share ?? 0)))).toEqual([17, 50, 83]);
    expect(stills.progress).toBeNull();
  });

  it('wait for the view, and go on where it was left', async () => {
    const sent = server();
    const stills = new Stills('fen');
    const all = stills.keep(4, viewpoints);
    expect([stills.progress, sent]).toEqual([0, []]);
    const taken: string[] = [];
    stills.camera = (from) => {
      taken.push(from.id);
      if (from.id !== 'lode') return Promise.resolve(picture(from));
      stills.camera = null; // the view is left
      return Promise.reject(new DOMException('the view has been left', 'AbortError'));
    };
    await vi.waitFor(() => expect(taken).toEqual(['bank', 'lode']));
    stills.camera = (from) => (taken.push(from.id), Promise.resolve(picture(from)));
    await all;
    expect(taken).toEqual(['bank', 'lode', 'lode', 'mill']);
    expect(sent.map(([, id]) => id)).toEqual(['bank', 'lode', 'mill']);
  });

  it('end while they wait, when they are no longer wanted', async () => {
    const sent = server();
    const stills = new Stills('fen');
    const told = vi.spyOn(app, 'tell');
    const all = stills.keep(4, viewpoints);
    stills.cancel();
    await all;
    expect([stills.progress, sent]).toEqual([null, []]);
    expect(told).not.toHaveBeenCalled();
  });

  it('end when they are no longer wanted', async () => {
    const sent = server();
    const stills = new Stills('fen');
    let running: AbortSignal | null = null;
    stills.camera = (from, _, signal) => {
      running = signal;
      if (from.id === 'lode') stills.cancel();
      signal.throwIfAborted();
      return Promise.resolve(picture(from));
    };
    const told = vi.spyOn(app, 'tell');
    await stills.keep(4, viewpoints);
    expect(sent.length).toBe(1);
    expect((running as AbortSignal | null)?.aborted).toBe(true);
    expect(stills.progress).toBeNull();
    expect(told).not.toHaveBeenCalled();
  });

  it('tell when the server does not take one', async () => {
    server(() => new Response(JSON.stringify({ detail: 'too large' }), { status: 413 }));
    const stills = new Stills('fen');
    stills.camera = (from) => Promise.resolve(picture(from));
    const told = vi.spyOn(app, 'tell').mockImplementation(() => {});
    await stills.keep(4, viewpoints);
    expect(told).toHaveBeenCalledTimes(1);
    expect(told.mock.calls[0]?.[0]).toContain('too large');
    expect(stills.progress).toBeNull();
  });

  it('of a newer release end those of an older', async () => {
    const sent = server();
    const stills = new Stills('fen');
    let go: (() => void) | null = null;
    const slow: Camera = (from) => new Promise((done) => (go = () => done(picture(from))));
    stills.camera = slow;
    const first = stills.keep(4, viewpoints);
    await vi.waitFor(() => expect(go).not.toBeNull());
    stills.camera = (from) => Promise.resolve(picture(from));
    const second = stills.keep(5, viewpoints);
    (go as (() => void) | null)?.();
    await Promise.all([first, second]);
    expect(sent.map(([address]) => address.includes('/5/'))).toEqual([true, true, true]);
  });
});
