<script lang="ts">
  /** An area in words, and the holes in it. */
  import { Button } from 'flowbite-svelte';
  import X from '@lucide/svelte/icons/x';
  import WriteLines from '../parts/WriteLines.svelte';
  import { big } from '../state/values';
  import { HOLE } from './kinds';
  import type { PartProps } from './registry';
  let { open, layer, disabled, onchange, ondraw }: PartProps = $props();
  const area = $derived(open.view(layer.id)?.regions?.[0]?.area ?? 0);
  const corners = $derived(((layer.parameters.corners ?? []) as unknown[]).length);
  const holes = $derived((layer.parameters.holes ?? []) as number[][][]);
  const clear = $derived(layer.parameters.kept_clear ? ' Nothing grows in it.' : '');
</script>

<p class="font-serif text-[17px] leading-[1.6]">
  An area of {big(Math.round(area))} m² with {corners} corners{holes.length
    ? ` and ${holes.length} ${holes.length === 1 ? 'hole' : 'holes'}`
    : ''}.{clear} Drag its corners in the view; drag a mark between two to add one.
</p>
{#each holes as hole, k (k)}
  <div class="mt-1 flex items-center justify-between rounded border border-line pl-2" data-hole={k}>
    <span>Hole {k + 1} <span class="text-[12px] text-soft">{hole.length} corners</span></span>
    {#if !disabled}
      <Button
        color="alternative"
        size="xs"
        class="border-0 p-1.5!"
        aria-label="remove hole {k + 1}"
        onclick={() =>
          onchange(
            'holes',
            holes.filter((_, i) => i !== k),
          )}><X size={14} /></Button
      >
    {/if}
  </div>
{/each}
<div class="mt-2 flex flex-wrap gap-1.5">
  {#if !disabled}
    <Button color="alternative" size="xs" onclick={() => ondraw(HOLE)}>Cut a hole…</Button>
  {/if}
  <WriteLines scene={open.id} name={open.scene?.name ?? ''} />
</div>
