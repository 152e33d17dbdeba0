<script lang="ts">
  /** What is set down by hand: how much of it, and the hand. */
  import { Button } from 'flowbite-svelte';
  import HandPanel from '../parts/HandPanel.svelte';
  import MixChip from '../parts/MixChip.svelte';
  import type { SetDown } from '../state/hand.svelte';
  import type { MixEntry } from '../state/mix';
  import type { PartProps } from './registry';

  let { open, layer, disabled, onchange }: PartProps = $props();
  const mix = $derived((layer.parameters.mix ?? []) as MixEntry[]);
  const placed = $derived((layer.parameters.placed ?? []) as SetDown[]);
  const named = (id: string) => open.asset(id)?.name ?? `${id} (missing)`;
  const counts = $derived(
    [...new Set(placed.map((t) => t.asset))].map((asset) => ({
      asset,
      count: placed.filter((t) => t.asset === asset).length,
    })),
  );
</script>

<p class="relative font-serif text-[17px] leading-[1.72]" data-sentence>
  Set down <MixChip {open} {mix} label="what is set down" {disabled} onchange={(v) => onchange('mix', v)} /> by hand,
  {placed.length ? `${placed.length.toLocaleString('en')} so far` : 'none so far'}.
</p>
{#if !disabled}<HandPanel {open} {layer} />{/if}
{#if counts.length}
  <section class="rule mt-3 pt-2" aria-label="what stands">
    <h2 class="mb-1 text-[14px]">What stands</h2>
    <ul class="flex flex-col gap-1">
      {#each counts as { asset, count } (asset)}
        <li class="flex items-center gap-2 rounded border border-line px-2 py-1">
          <span class="flex-1 truncate font-serif">{named(asset)}</span>
          <span class="text-[11.5px] text-soft">{count.toLocaleString('en')}</span>
          {#if !disabled}
            <Button
              color="alternative"
              size="xs"
              class="min-h-[24px] px-2 py-0.5"
              aria-label="take away every {named(asset)}"
              onclick={() =>
                onchange(
                  'placed',
                  placed.filter((t) => t.asset !== asset),
                )}>Take away</Button
            >
          {/if}
        </li>
      {/each}
    </ul>
  </section>
{/if}
