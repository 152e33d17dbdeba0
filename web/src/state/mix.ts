/** A mix: assets with weights, each with what it likes and a size of its own. Edited whole. */
import type { LayerView, Settings } from '../api/client';
import { withOne, type Condition } from './conditions';

export interface MixEntry {
  asset: string; // or a mix that is kept
  weight: number;
  size?: [number, number];
  conditions?: Condition[];
  [more: string]: unknown;
}

type Mixes = Pick<Settings, 'mixes'> | undefined;

/** The mix that is kept under an id. */
export const namedMix = (settings: Mixes, id: string) => settings?.mixes?.find((m) => m.id === id);

/** The assets that an entry stands for. */
export function assetsIn(settings: Mixes, id: string): string[] {
  return namedMix(settings, id)?.entries.map((e) => e.asset) ?? [id];
}

/** How many of each asset a layer placed. */
export function countsOf(view: LayerView | undefined): Record<string, number> {
  const out: Record<string, number> = {};
  for (const v of view?.placements?.variants ?? []) out[v.asset] = (out[v.asset] ?? 0) + v.count;
  return out;
}

/** The assets chosen, with their weights; those that were in it keep all else. */
export function chosenOf(mix: MixEntry[], ids: string[], weights: Record<string, number>): MixEntry[] {
  return ids.map((asset) => ({ ...mix.find((m) => m.asset === asset), asset, weight: weights[asset] ?? 1 }));
}

export function withOwn(mix: MixEntry[], asset: string, path: string, value: unknown): MixEntry[] {
  return mix.map((m) => (m.asset === asset ? { ...m, [path]: value } : m));
}

/** With a condition of one asset changed, added, or taken away. */
export function withLiking(mix: MixEntry[], asset: string, id: string, value: Condition | null): MixEntry[] {
  return mix.map((m) => (m.asset === asset ? { ...m, conditions: withOne(m.conditions ?? [], id, value) } : m));
}
