import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { LiveSocket, type Live, type Socket } from './liveSocket';

class Fake implements Socket {
  sent: string[] = [];
  reconnects = 0;
  closed = false;
  onopen: Socket['onopen'] = null;
  onmessage: Socket['onmessage'] = null;
  onclose: Socket['onclose'] = null;
  send(data: string) {
    this.sent.push(data);
  }
  close() {
    this.closed = true;
  }
  reconnect() {
    this.reconnects++;
  }
  say(message: object) {
    this.onmessage?.({ data: JSON.stringify(message) });
  }
}

let fake: Fake;
let heard: string[];
let opened: number[];
let live: Live;
beforeEach(() => {
  vi.useFakeTimers();
  fake = new Fake();
  heard = [];
  opened = [];
  live = { opened: (n) => opened.push(n), heard: (m) => heard.push(String(m.type)), lost: () => heard.push('lost') };
});
afterEach(() => void vi.useRealTimers());

it('tells the number of the last edit each time it opens', () => {
  const socket = new LiveSocket('x', live, () => fake);
  fake.say({ type: 'hello', edits: 4 });
  fake.onclose?.(undefined as never);
  fake.say({ type: 'hello', edits: 7 });
  fake.say({ type: 'edit' });
  expect(opened).toEqual([4, 7]);
  expect(heard).toEqual(['lost', 'edit']);
  socket.close();
});

it('asks whether the other side lives, and opens anew when it is silent', () => {
  const socket = new LiveSocket('x', live, () => fake);
  for (let k = 0; k < 6; k++) {
    vi.advanceTimersByTime(15_000);
    fake.say({ type: 'pong' });
  }
  expect(fake.sent.length).toBe(6);
  expect(fake.reconnects).toBe(0);
  vi.advanceTimersByTime(60_000);
  expect(fake.reconnects).toBe(1);
  expect(heard).toEqual([]);
  socket.close();
  expect(fake.closed).toBe(true);
  vi.advanceTimersByTime(100_000);
  expect(fake.reconnects).toBe(1);
});
