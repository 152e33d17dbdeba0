import 'fake-indexeddb/auto';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { ApiError, type Scene } from '../api/client';
import { EditQueue, pauses, type Edit, type Keep, type Listener, type Queued } from './editQueue';
import { keepFor } from './keep';

const scene = { id: 's', edits: 1 } as unknown as Scene;
const name = (n: string): Edit => ({ op: 'scene', name: n });

function inMemory(): Keep & { held: Map<string, Queued> } {
  const held = new Map<string, Queued>();
  return {
    held,
    all: () => Promise.resolve([...held.entries()]),
    set: (k, v) => Promise.resolve(void held.set(k, v)),
    remove: (k) => Promise.resolve(void held.delete(k)),
  };
}

function listener(): Listener & { refusals: unknown[]; states: [number, string][] } {
  const refusals: unknown[] = [];
  const states: [number, string][] = [];
  return {
    refusals,
    states,
    made: () => {},
    refused: (error) => void refusals.push(error),
    changed: (n, pause) => void states.push([n, pause]),
  };
}

const settle = async () => {
  for (let k = 0; k < 50; k++) await Promise.resolve();
};

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

describe('a queue of edits', () => {
  it('sends one at a time, in order', async () => {
    const sent: string[] = [];
    let flying = 0;
    const queue = new EditQueue(
      inMemory(),
      async ({ edit }) => {
        expect(++flying).toBe(1);
        await Promise.resolve();
        sent.push((edit as { name: string }).name);
        flying--;
        return scene;
      },
      listener(),
    );
    await Promise.all(['a', 'b', 'c'].map((n) => queue.push(name(n))));
    expect(sent).toEqual(['a', 'b', 'c']);
    expect(queue.idle).toBe(true);
  });

  it.each([0, 500, 502, 503, 429])('pauses on %i, tells, and sends the same edit with the same key', async (status) => {
    const keys: string[] = [];
    const keep = inMemory();
    const heard = listener();
    let fails = 2;
    const queue = new EditQueue(
      keep,
      ({ key }) => {
        keys.push(key);
        return fails-- > 0 ? Promise.reject(new ApiError(status, 'x', 'x')) : Promise.resolve(scene);
      },
      heard,
    );
    const done = queue.push(name('a'));
    await settle();
    expect(queue.pause).not.toBe('');
    expect(keep.held.size).toBe(1);
    await vi.advanceTimersByTimeAsync(10_000);
    expect(await done).toBe(scene);
    expect(new Set(keys).size).toBe(1);
    expect(keys.length).toBe(3);
    expect(keep.held.size).toBe(0);
    expect(heard.refusals).toEqual([]);
    expect(heard.states.at(-1)).toEqual([0, '']);
  });

  it('waits for somebody to sign in when the session has ended', async () => {
    let signedIn = false;
    const queue = new EditQueue(
      inMemory(),
      () => (signedIn ? Promise.resolve(scene) : Promise.reject(new ApiError(401, 'x', 'x'))),
      listener(),
    );
    const done = queue.push(name('a'));
    await vi.advanceTimersByTimeAsync(300_000);
    expect(queue.pause).toBe('signed out');
    expect(queue.edits.length).toBe(1);
    signedIn = true;
    queue.resume();
    expect(await done).toBe(scene);
  });

  it.each([403, 404, 409, 422])('drops what is refused with %i, tells, and goes on', async (status) => {
    const heard = listener();
    const keep = inMemory();
    const queue = new EditQueue(
      keep,
      ({ edit }) =>
        (edit as { name: string }).name === 'bad'
          ? Promise.reject(new ApiError(status, 'x', 'x'))
          : Promise.resolve(scene),
      heard,
    );
    const [bad, good] = await Promise.all([queue.push(name('bad')), queue.push(name('good'))]);
    expect(bad).toBeNull();
    expect(good).toBe(scene);
    expect(heard.refusals.length).toBe(1);
    expect(keep.held.size).toBe(0);
  });

  it('takes up what an earlier window left, before what is new, under the keys of then', async () => {
    vi.useRealTimers();
    const first = new EditQueue(keepFor('sedge', 's1'), () => new Promise<Scene>(() => {}), listener());
    void first.push(name('a'));
    void first.push(name('b'));
    await vi.waitUntil(async () => (await keepFor('sedge', 's1').all()).length === 2);
    const left = (await keepFor('sedge', 's1').all()).map(([, q]) => q.key);
    first.close();
    const sent: Queued[] = [];
    const send = (q: Queued) => {
      sent.push({ key: q.key, edit: q.edit });
      return Promise.resolve(scene);
    };
    const second = new EditQueue(keepFor('sedge', 's1'), send, listener());
    await second.load();
    await second.push(name('c'));
    expect(sent.map((q) => (q.edit as { name: string }).name)).toEqual(['a', 'b', 'c']);
    expect(
      sent
        .slice(0, 2)
        .map((q) => q.key)
        .sort(),
    ).toEqual(left.sort());
    expect(await keepFor('sedge', 's1').all()).toEqual([]);
  });

  it('keeps the edits of accounts and scenes apart', async () => {
    vi.useRealTimers();
    await keepFor('tansy', 's1').set('1', { key: 'k', edit: name('hers') });
    await keepFor('sedge', 's2').set('1', { key: 'k', edit: name('elsewhere') });
    const sent: unknown[] = [];
    const queue = new EditQueue(keepFor('sedge', 's1'), (q) => Promise.resolve((sent.push(q), scene)), listener());
    await queue.load();
    expect(sent).toEqual([]);
    expect((await keepFor('tansy', 's1').all()).length).toBe(1);
  });
});

it('pauses only where the server gave no answer', () => {
  expect(pauses(new ApiError(422, '', ''))).toBe('');
  expect(pauses(new Error('a bug'))).toBe('');
  expect(pauses(new ApiError(0, '', ''))).toBe('offline');
});
