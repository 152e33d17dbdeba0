/** The live connection of a scene: opened again with growing pauses, asked now and then whether it still lives. */
import { WebSocket as Reconnecting } from 'partysocket';

export type Message = Record<string, unknown> & { type?: string };

export interface Live {
  /** Open, with the number of the scene's last edit. */
  opened(edits: number): void;
  heard(message: Message): void;
  lost(): void;
}

export interface Socket {
  send(data: string): void;
  close(): void;
  reconnect(): void;
  onopen: ((event: never) => void) | null;
  onmessage: ((event: { data: unknown }) => void) | null;
  onclose: ((event: never) => void) | null;
}

const BEAT = 15_000; // milliseconds between two questions
const SILENT = 40_000; // after which the connection is taken for dead

export class LiveSocket {
  private readonly socket: Socket;
  private heard = Date.now();
  private readonly timer: ReturnType<typeof setInterval>;

  constructor(
    address: string,
    private readonly live: Live,
    make: (address: string) => Socket = open,
  ) {
    this.socket = make(address);
    this.socket.onopen = () => (this.heard = Date.now());
    this.socket.onmessage = (event) => {
      this.heard = Date.now();
      const message = JSON.parse(String(event.data)) as Message;
      if (message.type === 'pong') return;
      if (message.type === 'hello') this.live.opened(Number(message.edits));
      else this.live.heard(message);
    };
    this.socket.onclose = () => this.live.lost();
    this.timer = setInterval(() => this.beat(), BEAT);
  }

  private beat() {
    if (Date.now() - this.heard > SILENT) {
      this.heard = Date.now();
      this.socket.reconnect();
    } else this.socket.send('ping');
  }

  close() {
    clearInterval(this.timer);
    this.socket.onclose = null;
    this.socket.close();
  }
}

function open(address: string): Socket {
  return new Reconnecting(address, [], {
    minReconnectionDelay: 700,
    maxReconnectionDelay: 20_000,
    reconnectionDelayGrowFactor: 1.8,
    maxEnqueuedMessages: 0,
  }) as unknown as Socket;
}
