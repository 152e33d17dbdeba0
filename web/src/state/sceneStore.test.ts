import { beforeEach, describe, expect, it, vi } from 'vitest';
import { ApiError, type Evaluation, type Scene } from '../api/client';
import type { Keep, Queued } from './editQueue';
import type { Live } from './liveSocket';
import type { Draft, Server, Versions } from './server';

vi.stubGlobal('localStorage', { getItem: () => null, setItem: () => {} });
vi.stubGlobal('matchMedia', () => ({ matches: false, addEventListener: () => {} }));
const { SceneStore } = await import('./sceneStore.svelte');
const { differing, textOf } = await import('./trials.svelte');
const { app } = await import('./app.svelte');
app.loadKinds = () => Promise.resolve();

const layer = (id: string, parameters: object, version = 1) => ({ id, kind: 'path', name: id, version, parameters });
const sceneOf = (edits: number, width: number, version = 1) =>
  ({
    id: 's',
    name: 'Fen',
    role: 'owner',
    edits,
    version: 1,
    settings: { viewpoints: [] },
    assets: [],
    layers: [layer('dyke', { width, surface: 'earth' }, version)],
  }) as unknown as Scene;
const evaluationOf = (name: string, edits = 1) => ({ layers: [], name, edits }) as unknown as Evaluation;

/** A promise that is kept from outside. */
function later<T>() {
  let done!: (value: T) => void;
  let failed!: (error: unknown) => void;
  const coming = new Promise<T>((a, b) => ([done, failed] = [a, b]));
  return { coming, done, failed };
}

class Fake implements Server {
  now = sceneOf(1, 3);
  read = 0;
  sent: [Queued, number][] = [];
  answers: (Promise<Scene> | ApiError)[] = [];
  evaluations: ReturnType<typeof later<Evaluation>>[] = [];
  drafts: ReturnType<typeof later<Evaluation>>[] = [];
  listener!: Live;
  scene = () => (this.read++, Promise.resolve(this.now));
  releases = () => Promise.resolve([]);
  evaluation = () => {
    const made = later<Evaluation>();
    this.evaluations.push(made);
    return made.coming;
  };
  asked: Draft[] = [];
  draft = (ask: Draft) => {
    this.asked.push(ask);
    const made = later<Evaluation>();
    this.drafts.push(made);
    return made.coming;
  };
  trials = () => Promise.reject(new Error('none'));
  trouble = () => Promise.resolve({ edits: 0, findings: [], amounts: [], count: 0, left: 0 });
  mends = () => Promise.resolve([]);
  gathered: string[][] = [];
  gather = (layer: string, things: string[]) => {
    this.gathered.push([layer, ...things]);
    const parameters = { parts: [] };
    const taken = { 'placed#a': null, 'placed#b': null };
    return Promise.resolve({ kind: 'group', parameters, placed: { at: [1, 2] }, layer: taken });
  };
  adjusted = () => Promise.resolve({ parameters: {}, told: '' });
  send = (queued: Queued, versions: Versions) => {
    this.sent.push([queued, versions.layer('dyke')]);
    const answer = this.answers.shift();
    return answer instanceof ApiError ? Promise.reject(answer) : (answer ?? Promise.resolve(this.now));
  };
  live = (listener: Live) => {
    this.listener = listener;
    return { close: () => {} };
  };
}

function inMemory(): Keep {
  const held = new Map<string, Queued>();
  return {
    all: () => Promise.resolve([...held.entries()]),
    set: (k, v) => Promise.resolve(void held.set(k, v)),
    remove: (k) => Promise.resolve(void held.delete(k)),
  };
}

const settle = async () => {
  for (let k = 0; k < 60; k++) await Promise.resolve();
};
const width = (store: InstanceType<typeof SceneStore>) => store.layer('dyke')?.parameters.width;
const widen = (to: number) => ({ op: 'layer' as const, id: 'dyke', parameters: { width: to } });

let server: Fake;
let store: InstanceType<typeof SceneStore>;
beforeEach(async () => {
  server = new Fake();
  app.messages = [];
  app.account = 'sedge';
  store = new SceneStore('s', true, server, () => inMemory());
  await settle();
  server.evaluations[0]?.done(evaluationOf('first'));
  await settle();
});

describe('an edit', () => {
  it('shows at once, and is evaluated when the server has made it', async () => {
    const answer = later<Scene>();
    server.answers.push(answer.coming);
    void store.edit(widen(5));
    expect(width(store)).toBe(5);
    await settle();
    expect(server.evaluations.length).toBe(1);
    answer.done(sceneOf(2, 5, 2));
    await settle();
    expect([width(store), store.pending, server.evaluations.length]).toEqual([5, 0, 2]);
  });

  it('that groups placements adds an asset, and sets it down in their place', async () => {
    app.layers = [
      {
        name: 'path',
        parameters: [
          { control: 'placed', path: 'placed' },
          { control: 'mix', path: 'mix' },
        ],
      },
    ] as unknown as typeof app.layers;
    const asset = { ...sceneOf(2, 3), created_id: 'g7' } as Scene;
    server.answers = [Promise.resolve(asset), Promise.resolve(sceneOf(3, 3))];
    expect(await store.gather('dyke', ['1', '2'], 'Log')).toBe(true);
    expect(server.gathered).toEqual([['dyke', '1', '2']]);
    const [added, put] = server.sent.map(([queued]) => queued.edit);
    expect(added).toMatchObject({ op: 'addAsset', kind: 'group', name: 'Log', parameters: { parts: [] } });
    expect(put).toEqual({
      op: 'layer',
      id: 'dyke',
      parameters: {
        'placed#a': null,
        'placed#b': null,
        mix: [{ asset: 'g7', weight: 1 }],
        'placed#g7': { at: [1, 2], asset: 'g7' },
      },
      joined: true, // undone with the asset, as one
    });
  });

  it('can be looked at before it and after it again, till the next', async () => {
    const made = (name: string, edits: number) => {
      void store.evaluate();
      server.evaluations.at(-1)?.done(evaluationOf(name, edits));
      return new Promise((done) => setTimeout(done));
    };
    const seen = () => (store.shown as unknown as { name: string }).name;
    await made('as it was', 1);
    store.before = true;
    expect(seen()).toBe('as it was'); // there was none
    await made('edited', 2);
    await made('edited, from elsewhere', 2); // the camera has moved
    expect(seen()).toBe('as it was');
    store.before = false;
    expect(seen()).toBe('edited, from elsewhere');
    store.before = true;
    void store.edit({ op: 'layer', id: 'dyke', parameters: { width: 7 } });
    expect([store.before, seen()]).toEqual([false, 'edited, from elsewhere']);
  });

  it('that is refused goes back to what the server has, and is told', async () => {
    server.answers.push(new ApiError(422, 'Bad value', 'width: at most 40 m'));
    expect(await store.edit(widen(50))).toBeNull();
    await settle();
    expect(width(store)).toBe(3);
    expect(app.messages[0]?.text).toContain('width');
  });

  it('is made again over an edit of other fields, against their version', async () => {
    const theirs = sceneOf(2, 3, 7);
    (theirs.layers[0] as unknown as { parameters: object }).parameters = { width: 3, surface: 'stone' };
    server.answers.push(new ApiError(409, 'Stale', 'changed meanwhile', theirs));
    void store.edit(widen(5));
    await settle();
    expect(server.sent.map(([q, version]) => [q.key === server.sent[0]?.[0].key, version])).toEqual([
      [true, 1],
      [true, 7],
    ]);
  });

  it('is given up where another has changed the same field', async () => {
    server.now = sceneOf(2, 9, 2);
    server.answers.push(new ApiError(409, 'Stale', 'changed meanwhile', server.now));
    expect(await store.edit(widen(5))).toBeNull();
    await settle();
    expect([width(store), server.sent.length]).toEqual([9, 1]);
  });
});

describe('what a scene comes to', () => {
  it('is the newest answer, in whatever order they come', async () => {
    void store.evaluate();
    void store.evaluate();
    const [, older, newer] = server.evaluations;
    newer?.done(evaluationOf('newer'));
    await settle();
    older?.done(evaluationOf('older'));
    await settle();
    expect(store.evaluation).toEqual(evaluationOf('newer'));
  });

  it('is drawn whole once what is dragged is held still, and not when it is let go of', async () => {
    vi.useFakeTimers();
    const part = { layers: [{ id: 'dyke', placements: { share: 0.2 } }] } as unknown as Evaluation;
    const ask = { layer: 'dyke', parameters: { width: 6 } };
    store.draft('dyke', { width: 6 });
    server.drafts[0]?.done(part);
    await settle();
    expect(server.asked).toEqual([{ ...ask, light: true }]);
    vi.advanceTimersByTime(400);
    store.draft('dyke', { width: 7 });
    server.drafts[1]?.done(part);
    await settle();
    vi.advanceTimersByTime(800);
    expect(server.asked.length).toBe(3);
    expect(server.asked[2]).toEqual({ ...ask, parameters: { width: 7 }, light: false });
    server.drafts[2]?.done(evaluationOf('whole'));
    await settle();
    vi.advanceTimersByTime(5000);
    expect(server.asked.length).toBe(3);
    store.draft('dyke', { width: 8 });
    server.drafts[3]?.done(part);
    await settle();
    void store.evaluate();
    vi.advanceTimersByTime(5000);
    expect(server.asked.length).toBe(4);
    vi.useRealTimers();
  });

  it('is a draft while something is dragged, whatever was asked before', async () => {
    void store.evaluate();
    store.draft('dyke', { width: 6 });
    server.drafts[0]?.done(evaluationOf('draft'));
    await settle();
    server.evaluations[1]?.done(evaluationOf('late'));
    await settle();
    expect(store.evaluation).toEqual(evaluationOf('draft'));
  });

  it('stays when it cannot be computed, with the reason beside it', async () => {
    void store.evaluate();
    server.evaluations[1]?.failed(new ApiError(422, 'Too large', 'too many placements'));
    await settle();
    expect(store.evaluation).toEqual(evaluationOf('first'));
    expect(store.refusal).toContain('too many placements');
    expect(store.computing).toBe(false);
  });
});

describe('what others do', () => {
  it('arrives, is told with their name, and is evaluated', async () => {
    server.now = sceneOf(2, 8, 2);
    server.listener.heard({ type: 'edit', number: 2, author: 'tansy', title: 'width of Dyke' });
    await settle();
    expect(width(store)).toBe(8);
    expect(app.messages[0]?.text).toBe('tansy: width of Dyke');
    expect(server.evaluations.length).toBe(2);
  });

  it('is not read twice: an edit that is known already is passed over', async () => {
    const read = server.read;
    server.listener.heard({ type: 'edit', number: 1, author: 'tansy', title: 'old' });
    await settle();
    expect(server.read).toBe(read);
  });

  it('while the connection was away is read when it is back', async () => {
    server.listener.lost();
    expect(store.offline).toBe(true);
    server.now = sceneOf(4, 8, 3);
    server.listener.opened(4);
    await settle();
    expect([store.offline, width(store)]).toEqual([false, 8]);
  });

  it('lies under what still waits', async () => {
    server.answers.push(later<Scene>().coming);
    void store.edit(widen(5));
    await settle();
    server.now = sceneOf(2, 8, 2);
    server.listener.heard({ type: 'edit', number: 2, author: 'tansy', title: 'width of Dyke' });
    await settle();
    expect(width(store)).toBe(5);
  });
});

describe('a scene that nobody looks at', () => {
  const heard = async (number: number) => {
    server.now = sceneOf(number, 4, number);
    server.listener.heard({ type: 'edit', number, author: 'tansy', title: 'a wider dyke' } as never);
    await settle();
  };

  it('follows the edits, but is evaluated once, when it is looked at again', async () => {
    store.sleep();
    await heard(2);
    await heard(3);
    expect([width(store), server.evaluations.length]).toEqual([4, 1]);
    store.wake();
    expect(server.evaluations.length).toBe(2);
    server.evaluations[1]?.done(evaluationOf('third'));
    await settle();
    expect((store.evaluation as unknown as { name: string }).name).toBe('third');
    store.sleep();
    store.wake();
    expect(server.evaluations.length).toBe(2);
  });
});

describe('trials of a number', () => {
  const set = { title: 'Width', unit: 'm', step: 0.1 };
  const trial = (value: number, more = {}) =>
    ({
      value,
      parameters: { width: value },
      now: value === 3,
      placements: value,
      findings: [],
      error: '',
      ...more,
    }) as never;
  const pictured = () => Promise.resolve(new Blob(['x']));
  const begin = (trials: unknown[], camera = pictured) => {
    server.trials = () => Promise.resolve({ ...set, trials }) as never;
    store.selected = 'dyke';
    store.camera = camera;
    store.try('width', 3);
  };
  const freed = vi.fn();
  beforeEach(() => {
    freed.mockClear();
    vi.spyOn(URL, 'createObjectURL').mockReturnValue('blob:picture');
    vi.spyOn(URL, 'revokeObjectURL').mockImplementation(freed);
  });

  it('are drafted and pictured one after the other, and one is seen while it is pointed at', async () => {
    const shots: Evaluation[] = [];
    begin([trial(2), trial(3), trial(4)], ((of: Evaluation) => (shots.push(of), pictured())) as never);
    await settle();
    for (const [k, name] of ['a', 'b', 'c'].entries()) {
      expect(server.drafts.length).toBe(k + 1);
      expect(store.trials?.busy).toBe(true);
      expect(store.shown).toBe(store.evaluation); // not while pictures are taken
      server.drafts[k]?.done(evaluationOf(name));
      await settle();
    }
    expect(shots.map((e) => (e as unknown as { name: string }).name)).toEqual(['a', 'b', 'c']);
    expect(store.trials?.cards.map((c) => [c.text, c.picture])).toEqual(
      ['2.0 m', '3.0 m', '4.0 m'].map((t) => [t, 'blob:picture']),
    );
    store.trials!.looked = 2;
    expect(store.shown).toEqual(evaluationOf('c'));
    store.trials!.looked = -1;
    expect(store.shown).toBe(store.evaluation);
    store.endTrials();
    expect(freed).toHaveBeenCalledTimes(3);
    expect(store.trials).toBeNull();
  });

  it('tell one that cannot be, and go on with the others', async () => {
    begin([trial(2, { error: 'width: 2 is too little' }), trial(3)]);
    await settle();
    server.drafts[0]?.done(evaluationOf('b'));
    await settle();
    expect(store.trials?.cards.map((c) => c.failure)).toEqual(['width: 2 is too little', '']);
    expect(store.trials?.busy).toBe(false);
  });

  it('end with an edit, and what comes later of them is let go', async () => {
    begin([trial(2), trial(3)]);
    await settle();
    void store.edit(widen(5));
    expect(store.trials).toBeNull();
    server.drafts[0]?.done(evaluationOf('late'));
    await settle();
    expect(freed).toHaveBeenCalledTimes(1);
    expect(server.drafts.length).toBe(1);
    expect(store.shown).toBe(store.evaluation);
  });

  it('say what a value and its weight are', () => {
    expect([textOf([40, 60], { unit: '%', step: 1 }), textOf([4, 4], { unit: 'm', step: 0.5 })]).toEqual([
      '40–60 %',
      '4.0 m',
    ]);
    expect(textOf(12, { unit: '°', step: 1 })).toBe('12°');
    expect([differing(5000, 5200), differing(9000, 5200), differing(1000, 2_500_000)]).toEqual([
      'as heavy',
      '+ 4 k triangles',
      '− 2.50 M triangles',
    ]);
  });
});
