<script lang="ts">
  /** Eight seeds of the same parameters, side by side. */
  import Check from '@lucide/svelte/icons/check';
  import type { BenchState } from '../state/bench.svelte';
  let {
    bench,
    kept,
    disabled,
    onpick,
    onanother,
  }: {
    bench: BenchState;
    kept: number[];
    disabled: boolean;
    onpick: (seed: number, add: boolean) => void;
    onanother: () => void;
  } = $props();
</script>

<section class="shrink-0 border-t border-line bg-strip px-4 pt-2.5 pb-3" aria-label="seed tray">
  <div class="mb-2 flex items-center gap-3">
    <h3 class="text-[14px]">Seed tray</h3>
    <span class="flex-1 truncate text-[12px] text-soft"
      >same numbers, other seeds{disabled ? '' : ' · click to look, shift-click to keep as a variant'}</span
    >
    <span class="text-[12px] text-soft"
      >{kept.length} kept: {kept.slice(0, 6).join(', ')}{kept.length > 6 ? '…' : ''}</span
    >
    <button class="btn" onclick={onanother}>Another eight</button>
  </div>
  <div class="grid grid-cols-8 gap-2.5">
    {#each bench.tray as t (t.seed)}
      {@const on = bench.seed === t.seed}
      <button
        class="relative flex h-[112px] flex-col items-center justify-end overflow-hidden rounded-[5px] border pb-1 {on
          ? 'border-2 border-moss bg-plate'
          : 'border-line bg-leaf hover:border-moss'}"
        aria-pressed={on}
        aria-label="seed {t.seed}{kept.includes(t.seed) ? ', kept' : ''}"
        onclick={(e) => onpick(t.seed, e.shiftKey)}
      >
        {#if t.picture}<img
            src={t.picture}
            alt=""
            class="min-h-0 w-full flex-1 rounded-t-[4px] object-cover"
          />{:else}<span class="flex flex-1 items-center text-[11px] text-soft">growing…</span>{/if}
        <span class="pt-1 text-[11.5px]">seed {t.seed}</span>
        {#if kept.includes(t.seed)}<span
            class="absolute top-1 right-1 rounded-full bg-moss p-0.5 text-on-moss"
            title="kept as a variant"><Check size={11} strokeWidth={3} /></span
          >{/if}
      </button>
    {/each}
  </div>
</section>
