import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { answered, askAhead } from './ahead';

let asked: string[] = [];
let status = 200;

beforeEach(() => {
  asked = [];
  status = 200;
  vi.useFakeTimers();
  vi.stubGlobal('location', { origin: 'http://x.test' });
  vi.stubGlobal('fetch', (what: string | Request) => {
    asked.push(typeof what === 'string' ? `ahead ${what}` : what.url);
    return Promise.resolve(new Response(String(asked.length), { status }));
  });
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const ask = async (path: string, init?: RequestInit) =>
  (await answered(new Request(`http://x.test${path}`, init))).text();

it('answers once with what was asked ahead, and only the same question', async () => {
  askAhead(['/api/a']);
  expect(await ask('/api/b')).toBe('2');
  expect(await ask('/api/a', { method: 'POST' })).toBe('3');
  expect(await ask('/api/a')).toBe('1');
  expect(await ask('/api/a')).toBe('4');
});

it('asks again where the answer is no good, or old', async () => {
  status = 401;
  askAhead(['/api/a']);
  status = 200;
  expect(await ask('/api/a')).toBe('2');
  askAhead(['/api/a']);
  vi.advanceTimersByTime(60_000);
  expect(await ask('/api/a')).toBe('4');
  expect(asked).toEqual(['ahead /api/a', 'http://x.test/api/a', 'ahead /api/a', 'http://x.test/api/a']);
});
