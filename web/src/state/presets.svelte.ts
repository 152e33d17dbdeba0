/** Recipes to begin with: read once, shared by all who show them. */
import { api, said, take, type Preset } from '../api/client';

class Presets {
  list = $state.raw<Preset[]>([]);
  failure = $state('');

  async load(): Promise<void> {
    if (this.list.length) return;
    this.failure = '';
    try {
      this.list = await take<Preset[]>(api.GET('/api/bench/presets'));
    } catch (error) {
      this.failure = said(error);
    }
  }
}

export const presets = new Presets();

/** The asset that a preset begins: three seeds of its numbers. */
export function recipeOf(p: Preset) {
  return { kind: p.kind, name: p.title, parameters: p.parameters, seeds: [p.seed, p.seed + 1, p.seed + 2], tags: [] };
}
