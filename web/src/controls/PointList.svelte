<script lang="ts">
  /** Points as numbers: typed, removed, added. */
  import { Button, Input, ToolbarButton } from 'flowbite-svelte';
  import Plus from '@lucide/svelte/icons/plus';
  import X from '@lucide/svelte/icons/x';
  import { sum } from '../state/values';

  let {
    value,
    names,
    unit,
    word = 'point',
    begin = 'Add a point',
    least,
    most,
    disabled = false,
    onchange,
    onadd,
  }: {
    value: number[][];
    names: string[]; // of a point's numbers
    unit: string;
    word?: string; // what one is called
    begin?: string;
    least: number;
    most: number;
    disabled?: boolean;
    onchange: (v: number[][]) => void;
    onadd: () => void;
  } = $props();

  function type(event: Event, i: number, k: number) {
    const input = event.target as HTMLInputElement;
    const n = sum(input.value);
    if (n === null) input.value = String(value[i]?.[k] ?? 0);
    else onchange(value.map((p, j) => (j === i ? p.map((v, m) => (m === k ? n : v)) : p)));
  }
</script>

{#if names.length > 3 && value.length}
  <div class="mb-0.5 flex items-center gap-1.5 text-[11px] text-soft" aria-hidden="true">
    <span class="w-4"></span>
    {#each names as name (name)}<span class="flex-1 text-right">{name}</span>{/each}
    <span class="w-7"></span>
  </div>
{/if}
{#each value as point, i (i)}
  <div class="mb-1 flex items-center gap-1.5">
    <span class="w-4 text-right text-[11.5px] text-soft">{i + 1}</span>
    {#each point as v, k (k)}
      <Input
        class="min-w-0 py-[2px] text-right tabular-nums"
        aria-label="{word} {i + 1}, {names[k]}, {unit}"
        {disabled}
        value={Math.round(v * 1000) / 1000}
        onchange={(e) => type(e, i, k)}
      />
    {/each}
    <ToolbarButton
      class="hover:text-clay disabled:opacity-30"
      aria-label="remove {word} {i + 1}"
      disabled={disabled || value.length <= least}
      onclick={() => onchange(value.filter((_, j) => j !== i))}><X size={16} /></ToolbarButton
    >
  </div>
{/each}
{#if !disabled && value.length < most}
  <Button color="alternative" class="mt-0.5" onclick={onadd}><Plus size={13} /> {begin}</Button>
{/if}
