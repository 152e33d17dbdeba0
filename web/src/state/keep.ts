/** Edits in IndexedDB, apart for each account and scene. */
import { createStore, del, entries, set } from 'idb-keyval';
import type { Keep, Queued } from './editQueue';

export function keepFor(account: string, scene: string): Keep {
  const store = createStore('plough', 'edits');
  const prefix = `${account}/${scene}/`;
  return {
    async all() {
      const found = await entries<string, Queued>(store);
      return found.filter(([name]) => name.startsWith(prefix)).map(([name, q]) => [name.slice(prefix.length), q]);
    },
    set: (name, value) => set(prefix + name, value, store),
    remove: (name) => del(prefix + name, store),
  };
}
