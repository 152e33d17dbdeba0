/** What lies on the graphics card, shared by content and counted: what nobody holds any more is freed. */

export class Pool<T> {
  private readonly held = new Map<string, { value: T; holders: number }>();

  constructor(private readonly free: (value: T) => void) {}

  /** The value of `key`, made when nobody holds it yet. Each take is given back once. */
  take(key: string, make: () => T): T {
    let found = this.held.get(key);
    if (!found) this.held.set(key, (found = { value: make(), holders: 0 }));
    found.holders++;
    return found.value;
  }

  /** `value` tells the one that was taken from one made anew since that was forgotten. */
  give(key: string, value = this.held.get(key)?.value) {
    const found = this.held.get(key);
    if (!found || found.value !== value || --found.holders > 0) return;
    this.held.delete(key);
    this.free(found.value);
  }

  /** Forget a value that could not be made, whoever waits for it; nothing is freed. */
  forget(key: string, value: T) {
    if (this.held.get(key)?.value === value) this.held.delete(key);
  }

  get size() {
    return this.held.size;
  }

  *values(): Iterable<T> {
    for (const { value } of this.held.values()) yield value;
  }
}

/** What one holder has of a pool: it takes what it needs next, and lets go of the rest when that is there. */
export class Hold<T> {
  private readonly own = new Map<string, T>();

  constructor(
    private readonly pool: Pool<T>,
    private readonly make: (key: string) => T,
  ) {}

  /** `make` serves where more is known of this one than its key. */
  take(key: string, make = () => this.make(key)): T {
    const value = this.pool.take(key, make);
    if (this.own.get(key) === value) this.pool.give(key, value); // it is held once
    this.own.set(key, value);
    return value;
  }

  /** Let go of all but these. */
  keep(wanted: Iterable<string> = []) {
    const stay = new Set(wanted);
    for (const [key, value] of this.own)
      if (!stay.has(key)) {
        this.own.delete(key);
        this.pool.give(key, value);
      }
  }
}
