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
    before = '',
    none,
    label,
    empty,
    disabled,
    onchange,
  }: {
    open: SceneStore;
    ids: string[];
    facet: string; // what they give
    before?: string; // only what stands further left than this layer
    none: string; // what it means that none is chosen
    label: string;
    empty: string;
    disabled: boolean;
    onchange: (ids: string[]) => void;
  } = $props();
  const layers = $derived(open.scene?.layers ?? []);
  const among = $derived(
    before
      ? layers.slice(
          0,
          layers.findIndex((l) => l.id === before),
        )
      : layers,
  );
  const choices = $derived(giving(among, facet).map((l) => ({ id: l.id, name: l.name, stamp: l.kind })));
  const text = $derived(ids.map((id) => open.layer(id)?.name ?? id).join(', ') || none);
</script>

<Chip {text} tone="slate" {label} missing={ids.some((id) => !among.some((l) => l.id === id))}>
  <Picker {choices} chosen={ids} {empty} {disabled} {onchange} />
</Chip>
