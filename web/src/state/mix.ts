/** A mix: assets with weights, each with what it likes and a size of its own. Edited whole. */
import { withOne, type Condition } from './conditions';

export interface MixEntry {
  asset: string;
  weight: number;
  size?: [number, number];
  conditions?: Condition[];
  [more: string]: unknown;
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
