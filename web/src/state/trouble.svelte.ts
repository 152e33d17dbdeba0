/** What is wrong in the open scene: looked for by itself after every edit, stepped through, mended, or left as it is. */
import { said, type Finding, type Trouble } from '../api/client';
import { app } from './app.svelte';
import type { Edit } from './editQueue';
import type { Server } from './server';

export interface Group {
  code: string;
  title: string;
  findings: Finding[];
  count: number; // with those that are not listed
}

const TITLES: Record<string, string> = {
  floating: 'In the air',
  buried: 'In the ground',
  intersecting: 'Into each other',
  outside: 'Beyond the ground',
  'forbidden-ground': 'Where nothing is to grow',
  'blocking-path': 'In people’s way',
  'missing-asset': 'Assets that are missing',
  'missing-file': 'Files that are missing',
  'too-heavy': 'Too heavy for the target',
  'large-collider': 'Colliders far larger than their mesh',
  'waiting-touch': 'Touches that wait',
};
const words = (code: string) => code.replaceAll('-', ' ').replace(/^./, (c) => c.toUpperCase());

/** What it needs of the scene. */
export interface Of {
  server: Pick<Server, 'trouble' | 'mends'>;
  edit(edit: Edit): Promise<unknown>;
}

export class SceneTrouble {
  found = $state.raw<Trouble | null>(null);
  busy = $state(false); // it is being looked for
  mending = $state(false);
  failure = $state('');
  /** Whether the list is open. */
  shown = $state(false);
  /** The finding that is looked at; none by ''. */
  at = $state('');
  private again = false;
  private ended = false;

  constructor(private readonly of: Of) {}

  readonly listed = $derived(this.groups.flatMap((g) => g.findings));
  readonly current = $derived(this.listed.find((f) => f.id === this.at));

  /** By kind, in the order of how they are listed. */
  get groups(): Group[] {
    const { findings = [], amounts = [] } = this.found ?? {};
    const codes = [...new Set(findings.map((f) => f.code))];
    return codes.map((code) => ({
      code,
      title: TITLES[code] ?? words(code),
      findings: findings.filter((f) => f.code === code),
      count: amounts.reduce((sum, a) => sum + (a.code === code ? a.count : 0), 0),
    }));
  }

  /** How many a layer has. */
  countOf(layer: string): number {
    return (this.found?.amounts ?? []).reduce((sum, a) => sum + (a.layer === layer ? a.count : 0), 0);
  }

  end() {
    this.ended = true;
  }

  /** Look for it, unless what is known is of the edit `edits` already; one look at a time. */
  async look(edits: number) {
    if (this.ended || (!this.failure && this.found?.edits === edits)) return;
    this.again = this.busy;
    if (this.busy) return;
    this.busy = true;
    do {
      this.again = false;
      try {
        this.found = await this.of.server.trouble();
        this.failure = '';
      } catch (error) {
        this.failure = said(error);
      }
    } while (this.again && !this.ended);
    this.busy = false;
    if (!this.current) this.at = '';
  }

  /** The finding that is some after the one looked at. */
  step(by: number): Finding | undefined {
    const n = this.listed.length;
    const k = this.listed.findIndex((f) => f.id === this.at);
    const next = n ? this.listed[k < 0 ? (by > 0 ? 0 : n - 1) : (k + by + n) % n] : undefined;
    this.at = next?.id ?? '';
    return next;
  }

  /** Put right what can be of these, as one edit for each layer or asset. */
  async mend(findings: Finding[]) {
    const can = findings.filter((f) => f.mend);
    if (!can.length || this.mending) return;
    this.mending = true;
    try {
      for (const m of await this.of.server.mends(can.map((f) => f.id))) {
        const { parameters, game } = m;
        await this.of.edit(
          m.asset
            ? { op: 'asset', id: m.asset, parameters }
            : { op: 'layer', id: m.layer, parameters, ...(game ? { game } : {}) },
        );
      }
    } catch (error) {
      app.tell(`that could not be mended: ${said(error)}`, 'bad');
    }
    this.mending = false;
  }

  /** Leave these as they are: they are counted apart from now on. */
  leave(findings: Finding[]) {
    return this.of.edit({
      op: 'scene',
      settings: Object.fromEntries(findings.map((f) => [`left#${f.id}`, { text: f.text.slice(0, 300) }])),
    });
  }

  /** Look at all again that has been left as it is. */
  recall() {
    return this.of.edit({ op: 'scene', settings: { left: [] } });
  }
}
