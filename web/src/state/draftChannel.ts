/** Drafts while something is dragged: one in flight, which finishes; the newest waits, those between are left out. */

export class DraftChannel<Ask, Answer> {
  private flight = false;
  private next: { ask: Ask } | null = null;
  private generation = 0;

  constructor(
    private readonly send: (ask: Ask) => Promise<Answer>,
    private readonly shown: (answer: Answer) => void,
    private readonly failed: (error: unknown) => void,
    private readonly busy: (busy: boolean) => void = () => {},
  ) {}

  ask(ask: Ask) {
    this.next = { ask };
    void this.run();
  }

  /** What is on its way is no longer wanted. */
  cancel() {
    this.generation++;
    this.next = null;
  }

  private async run() {
    if (this.flight) return;
    this.flight = true;
    this.busy(true);
    while (this.next) {
      const { ask } = this.next;
      this.next = null;
      const generation = this.generation;
      try {
        const answer = await this.send(ask);
        if (generation === this.generation) this.shown(answer);
      } catch (error) {
        if (generation === this.generation) this.failed(error);
      }
    }
    this.flight = false;
    this.busy(false);
  }
}
