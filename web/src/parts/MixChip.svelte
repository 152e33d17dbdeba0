<script lang="ts">
  /** In a sentence: the assets that a layer places, with their weights. */
  import Chip from '../controls/Chip.svelte';
  import Picker from '../controls/Picker.svelte';
  import { chosenOf, namedMix, type MixEntry } from '../state/mix';
  import type { SceneStore } from '../state/sceneStore.svelte';

  let {
    open,
    mix,
    label,
    disabled,
    onchange,
  }: {
    open: SceneStore;
    mix: MixEntry[];
    label: string;
    disabled: boolean;
    onchange: (mix: MixEntry[]) => void;
  } = $props();
  const mixes = $derived(open.scene?.settings.mixes ?? []);
  const choices = $derived([
    ...mixes.map((m) => ({ id: m.id, name: `${m.name} (mix of ${m.entries.length})`, stamp: 'scatter' })),
    ...(open.scene?.assets ?? []).map((a) => ({ id: a.id, name: a.name, stamp: a.kind })),
  ]);
  const named = (id: string) => open.asset(id)?.name ?? namedMix(open.scene?.settings, id)?.name;
  const text = $derived(mix.length ? mix.map((m) => named(m.asset) ?? m.asset).join(', ') : 'nothing yet');
</script>

<Chip {text} {label} missing={mix.some((m) => !named(m.asset))}>
  <Picker
    {choices}
    chosen={mix.map((m) => m.asset)}
    weights={Object.fromEntries(mix.map((m) => [m.asset, m.weight]))}
    empty="There is no asset yet; make one in the sheet below."
    {disabled}
    onchange={(ids, weights) => onchange(chosenOf(mix, ids, weights))}
  />
</Chip>
