<script lang="ts">
  /** In a sentence: the assets that a layer places, with their weights. */
  import Chip from '../controls/Chip.svelte';
  import Picker from '../controls/Picker.svelte';
  import { chosenOf, type MixEntry } from '../state/mix';
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
  const choices = $derived((open.scene?.assets ?? []).map((a) => ({ id: a.id, name: a.name, stamp: a.kind })));
  const text = $derived(mix.length ? mix.map((m) => open.asset(m.asset)?.name ?? m.asset).join(', ') : 'nothing yet');
</script>

<Chip {text} {label} missing={mix.some((m) => !open.asset(m.asset))}>
  <Picker
    {choices}
    chosen={mix.map((m) => m.asset)}
    weights={Object.fromEntries(mix.map((m) => [m.asset, m.weight]))}
    empty="There is no asset yet; make one in the sheet below."
    {disabled}
    onchange={(ids, weights) => onchange(chosenOf(mix, ids, weights))}
  />
</Chip>
