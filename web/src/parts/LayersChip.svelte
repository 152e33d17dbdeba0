<script lang="ts">
  /** In a sentence: other layers that this one refers to. */
  import Chip from '../controls/Chip.svelte';
  import Picker from '../controls/Picker.svelte';
  import { giving } from '../layers/kinds';
  import type { SceneStore } from '../state/sceneStore.svelte';

  let {
    open,
    ids,
    facet,
    none,
    label,
    empty,
    disabled,
    onchange,
  }: {
    open: SceneStore;
    ids: string[];
    facet: string; // what they give
    none: string; // what it means that none is chosen
    label: string;
    empty: string;
    disabled: boolean;
    onchange: (ids: string[]) => void;
  } = $props();
  const choices = $derived(
    giving(open.scene?.layers ?? [], facet).map((l) => ({ id: l.id, name: l.name, stamp: l.kind })),
  );
  const text = $derived(ids.map((id) => open.layer(id)?.name ?? id).join(', ') || none);
</script>

<Chip {text} tone="slate" {label} missing={ids.some((id) => !open.layer(id))}>
  <Picker {choices} chosen={ids} {empty} {disabled} {onchange} />
</Chip>
