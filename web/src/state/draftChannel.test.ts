import { describe, expect, it, vi } from 'vitest';
import { DraftChannel } from './draftChannel';

const pause = (ms: number) => new Promise((done) => setTimeout(done, ms));

describe('drafts', () => {
  it('show pictures on the way through sixty moves, and the last', async () => {
    const asked: number[] = [];
    const shown: number[] = [];
    let flying = 0;
    const channel = new DraftChannel<number, number>(
      async (n) => {
        expect(++flying).toBe(1);
        asked.push(n);
        await pause(12);
        flying--;
        return n;
      },
      (n) => shown.push(n),
      () => {},
    );
    for (let k = 1; k <= 60; k++) {
      channel.ask(k);
      await pause(2);
    }
    await pause(40);
    expect(shown.length).toBeGreaterThan(5);
    expect(shown.length).toBeLessThan(40);
    expect(shown.at(-1)).toBe(60);
    expect(shown).toEqual([...shown].sort((a, b) => a - b));
    expect(shown).toEqual(asked);
  });

  it('forget what is on its way when they are cancelled, and go on with what comes', async () => {
    const shown: string[] = [];
    const channel = new DraftChannel<string, string>(
      async (n) => (await pause(5), n),
      (n) => shown.push(n),
      () => {},
    );
    channel.ask('old');
    channel.ask('older still waiting');
    channel.cancel();
    channel.ask('new');
    await vi.waitFor(() => expect(shown.length).toBeGreaterThan(0));
    await pause(10);
    expect(shown).toEqual(['new']);
  });

  it('tell a failure and send the next', async () => {
    const shown: string[] = [];
    const failed: unknown[] = [];
    const busy: boolean[] = [];
    const channel = new DraftChannel<string, string>(
      (n) => (n === 'bad' ? Promise.reject(new Error(n)) : Promise.resolve(n)),
      (n) => shown.push(n),
      (e) => failed.push(e),
      (b) => busy.push(b),
    );
    channel.ask('bad');
    await pause(1);
    channel.ask('good');
    await pause(1);
    expect(failed.length).toBe(1);
    expect(shown).toEqual(['good']);
    expect(busy).toEqual([true, false, true, false]);
  });
});
