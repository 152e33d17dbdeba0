import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Finding, Mend, Trouble } from '../api/client';
import type { Edit } from './editQueue';

vi.stubGlobal('localStorage', { getItem: () => null, setItem: () => {} });
vi.stubGlobal('matchMedia', () => ({ matches: false, addEventListener: () => {} }));
const { SceneTrouble } = await import('./trouble.svelte');

const finding = (id: string, code: string, mend = 'Drop it') =>
  ({ id, code, text: `${id} is wrong`, severity: 'warning', layer: 'holt', thing: '7', mend }) as Finding;
const troubleOf = (edits: number, ...findings: Finding[]): Trouble => ({
  edits,
  findings,
  amounts: [
    { layer: 'holt', code: 'floating', count: 140 },
    { layer: 'carr', code: 'floating', count: 2 },
    { layer: 'holt', code: 'buried', count: 1 },
  ],
  count: 143,
  left: 0,
});
const THREE = [finding('a', 'floating'), finding('b', 'floating', ''), finding('c', 'buried')];

let answers: (Trouble | Error)[];
let asked: number;
let edits: Edit[];
let mends: Mend[];
let hold: (() => void) | null;
const of = {
  server: {
    trouble: async () => {
      asked++;
      if (hold) await new Promise<void>((done) => (hold = done));
      const answer = answers.shift() ?? troubleOf(9, ...THREE);
      if (answer instanceof Error) throw answer;
      return answer;
    },
    mends: (ids: string[]) =>
      ids.includes('b') ? Promise.reject(new Error('never asked for')) : Promise.resolve(mends),
  },
  edit: (edit: Edit) => Promise.resolve(edits.push(edit)),
};

beforeEach(() => {
  [answers, asked, edits, mends, hold] = [[], 0, [], [], null];
});

describe('trouble', () => {
  it('is looked for once for each edit, and again for what comes meanwhile', async () => {
    const trouble = new SceneTrouble(of);
    await trouble.look(9);
    await trouble.look(9);
    expect(asked).toBe(1);
    hold = () => {};
    const first = trouble.look(10);
    void trouble.look(11);
    void trouble.look(12);
    expect([asked, trouble.busy]).toEqual([2, true]);
    const go = hold;
    hold = null;
    go();
    await first;
    expect([asked, trouble.busy]).toEqual([3, false]);
  });

  it('is grouped by kind, with how many there are of each, listed or not', async () => {
    const trouble = new SceneTrouble(of);
    await trouble.look(9);
    expect(trouble.groups.map((g) => [g.title, g.findings.length, g.count])).toEqual([
      ['In the air', 2, 142],
      ['In the ground', 1, 1],
    ]);
    expect([trouble.countOf('holt'), trouble.countOf('carr'), trouble.countOf('none')]).toEqual([141, 2, 0]);
  });

  it('is stepped through both ways, round and round', async () => {
    const trouble = new SceneTrouble(of);
    expect(trouble.step(1)).toBeUndefined();
    await trouble.look(9);
    expect([1, 1, 1, 1, -1, -1].map((by) => trouble.step(by)?.id)).toEqual(['a', 'b', 'c', 'a', 'c', 'b']);
    expect(trouble.current?.id).toBe('b');
    answers = [troubleOf(10, THREE[0] as Finding)];
    await trouble.look(10);
    expect(trouble.at).toBe(''); // it is not wrong any more
  });

  it('is mended by edits that the server makes up, and only what can be', async () => {
    const trouble = new SceneTrouble(of);
    await trouble.look(9);
    const game = { phone: 50 } as Mend['game'];
    mends = [
      { layer: 'holt', asset: '', parameters: { 'touches#7': { lift: 0 } }, game: null },
      { layer: 'carr', asset: '', parameters: {}, game },
      { layer: '', asset: 'oak', parameters: { 'game.collider': 'hull' }, game: null },
    ];
    await trouble.mend(THREE);
    expect(edits).toEqual([
      { op: 'layer', id: 'holt', parameters: { 'touches#7': { lift: 0 } } },
      { op: 'layer', id: 'carr', parameters: {}, game },
      { op: 'asset', id: 'oak', parameters: { 'game.collider': 'hull' } },
    ]);
    expect(trouble.mending).toBe(false);
    edits = [];
    await trouble.mend([THREE[1] as Finding]);
    expect(edits).toEqual([]);
  });

  it('is left as it is by an edit, and looked at again', async () => {
    const trouble = new SceneTrouble(of);
    await trouble.leave(THREE.slice(0, 1));
    await trouble.recall();
    expect(edits).toEqual([
      { op: 'scene', settings: { 'left#a': { text: 'a is wrong' } } },
      { op: 'scene', settings: { left: [] } },
    ]);
  });

  it('says when it could not be looked for, keeps what was known, and tries again', async () => {
    const trouble = new SceneTrouble(of);
    await trouble.look(9);
    answers = [new Error('the server is away')];
    await trouble.look(10);
    expect([trouble.failure, trouble.found?.count]).toEqual(['the server is away', 143]);
    await trouble.look(9);
    expect([trouble.failure, asked]).toEqual(['', 3]);
    trouble.end();
    await trouble.look(20);
    expect(asked).toBe(3);
  });
});
