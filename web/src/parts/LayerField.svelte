<script lang="ts">
  /** The control of one parameter of a layer, for a chip of its sentence. */
  import type { Layer, Row, Values } from '../api/client';
  import Field from '../controls/Field.svelte';

  let {
    layer,
    rows,
    path,
    disabled,
    oninput,
    onchange,
  }: {
    layer: Layer;
    rows: Row[];
    path: string;
    disabled: boolean;
    oninput: (path: string, value: unknown) => void;
    onchange: (path: string, value: unknown) => void;
  } = $props();
  const row = $derived(rows.find((r) => r.path === path));
</script>

{#if row}
  <Field
    {row}
    value={(layer.parameters as Values)[path]}
    {disabled}
    oninput={(v) => oninput(path, v)}
    onchange={(v) => onchange(path, v)}
  />
{/if}
