/** What belongs to the window: who is signed in, theme, messages, the kinds. */
import { api, take, type Kind, type Kinds, type Profile } from '../api/client';
import type { Parcel } from './parcel';

export interface Message {
  id: number;
  text: string;
  tone: 'plain' | 'bad';
}

class AppState {
  account = $state<string | null>(null);
  known = $state(false); // whether it is known who is signed in
  theme = $state<'light' | 'dusk' | 'system'>(
    (localStorage.getItem('plough.theme') as 'light' | 'dusk' | null) ?? 'system',
  );
  systemDark = $state(matchMedia('(prefers-color-scheme: dark)').matches);
  messages = $state<Message[]>([]);
  assets = $state.raw<Kind[]>([]);
  layers = $state.raw<Kind[]>([]);
  settings = $state.raw<Kinds['settings']>({});
  measures = $state.raw<Kinds['measures']>([]);
  profiles = $state.raw<Profile[]>([]);
  parcel: Parcel | null = null; // what was copied last in this window
  keysShown = $state(false);
  letters = $state(localStorage.getItem('plough.letters') !== 'off'); // whether single letters act
  signedOut = $state(false); // the session has ended while something was open
  dusk = $derived(this.theme === 'dusk' || (this.theme === 'system' && this.systemDark));

  constructor() {
    matchMedia('(prefers-color-scheme: dark)').addEventListener('change', (e) => (this.systemDark = e.matches));
  }

  /** The kind that does so with its parts. */
  ofParts(way: Kind['parts']) {
    return this.assets.find((k) => k.parts === way);
  }

  /** Whether seeds make assets of a kind differ. */
  seeded(kind: string) {
    return this.assets.find((k) => k.name === kind)?.seeded ?? true;
  }

  switchTheme() {
    this.theme = this.dusk ? 'light' : 'dusk';
    localStorage.setItem('plough.theme', this.theme);
  }

  switchLetters(on: boolean) {
    this.letters = on;
    localStorage.setItem('plough.letters', on ? 'on' : 'off');
  }

  tell(text: string, tone: Message['tone'] = 'plain') {
    const id = Date.now() + Math.random();
    if (this.messages.some((m) => m.text === text)) return;
    this.messages = [...this.messages.slice(-3), { id, text, tone }];
    setTimeout(() => this.dismiss(id), tone === 'bad' ? 9000 : 4500);
  }

  /** The session has ended: sign in again over what is open, so that nothing that waits is lost. */
  expired() {
    this.signedOut = true;
  }

  private readonly back = new Set<() => void>();

  /** Call `then` each time somebody has signed in again; the result ends that. */
  onSignedIn(then: () => void): () => void {
    this.back.add(then);
    return () => this.back.delete(then);
  }

  signedIn(name: string) {
    if (this.signedOut && this.account !== null && this.account !== name) location.reload(); // another's screen
    this.account = name;
    this.signedOut = false;
    for (const then of this.back) then();
  }

  dismiss(id: number) {
    this.messages = this.messages.filter((m) => m.id !== id);
  }

  async loadKinds() {
    if (this.assets.length) return;
    const [kinds, profiles] = await Promise.all([
      take<Kinds>(api.GET('/api/kinds')),
      take<Profile[]>(api.GET('/api/profiles')),
    ]);
    this.assets = kinds.assets;
    this.layers = kinds.layers;
    this.settings = kinds.settings;
    this.measures = kinds.measures;
    this.profiles = profiles;
  }
}

export const app = new AppState();
