/** A mix: assets with weights, each with what it likes and a size of its own. Edited whole. */
import type { Layer, LayerView, Settings } from '../api/client';
import { withOne, type Condition } from './conditions';

export interface MixEntry {
  asset: string; // or a mix that is kept
  weight: number;
  size?: [number, number];
  spacing?: number; // metres from its kind
  seeds?: number[]; // those of the asset's that stand; none: all
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

/**
 * With what a kept mix holds in its place, sharing its weight and with its size, distance and liking besides their own; what is
 * in the mix already only gains weight.
 */
export function takenApart(mix: MixEntry[], id: string, entries: MixEntry[]): MixEntry[] {
  const kept = mix.find((m) => m.asset === id) ?? { asset: id, weight: 1 };
  const out = mix.filter((m) => m.asset !== id);
  const total = entries.reduce((sum, e) => sum + e.weight, 0) || 1;
  const share = out.length ? kept.weight / total : 1; // alone, they may keep their own numbers
  for (const e of entries) {
    const weight = share * e.weight;
    const at = out.findIndex((m) => m.asset === e.asset);
    const there = out[at];
    if (there) out[at] = { ...there, weight: there.weight + weight };
    else out.push({ ...withIts(kept, e), weight });
  }
  return out;
}

/** One asset of a kept mix with what is said of the mix besides. */
function withIts(kept: MixEntry, e: MixEntry): MixEntry {
  const out = { ...e };
  const [low, high] = kept.size ?? [100, 100];
  if (low !== 100 || high !== 100) {
    const [a, b] = e.size ?? [100, 100];
    out.size = [within((a * low) / 100), within((b * high) / 100)];
  }
  if (kept.spacing) out.spacing = Math.max(kept.spacing, e.spacing ?? 0);
  if (kept.conditions?.length) {
    const own = new Set(e.conditions?.map((c) => c.id));
    const fresh = kept.conditions.map((c) => (own.has(c.id) ? { ...c, id: `${c.id}-mix` } : c));
    out.conditions = [...fresh, ...(e.conditions ?? [])];
  }
  return out;
}

const within = (size: number) => Math.min(1000, Math.max(5, size));

export function withOwn(mix: MixEntry[], asset: string, path: string, value: unknown): MixEntry[] {
  return mix.map((m) => (m.asset === asset ? { ...m, [path]: value } : m));
}

/** The seeds that an entry places, with one taken in or out; all of them are no choice, and the last one stays. */
export function seedsWith(entry: MixEntry, all: number[], seed: number, wanted: boolean): number[] {
  const now = entry.seeds?.length ? entry.seeds : all;
  const next = all.filter((s) => (s === seed ? wanted : now.includes(s)));
  return next.length === all.length ? [] : next.length ? next : now;
}

/** With a condition of one asset changed, added, or taken away. */
export function withLiking(mix: MixEntry[], asset: string, id: string, value: Condition | null): MixEntry[] {
  return mix.map((m) => (m.asset === asset ? { ...m, conditions: withOne(m.conditions ?? [], id, value) } : m));
}

/** What the mix of a layer names. */
export const mixed = (layer: Layer) => ((layer.parameters.mix ?? []) as { asset: string }[]).map((m) => m.asset);
