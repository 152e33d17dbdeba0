<script lang="ts">
  /** Points in space or on the ground: typed here, dragged in the view. */
  import Plus from '@lucide/svelte/icons/plus';
  import X from '@lucide/svelte/icons/x';
  import type { Row } from '../api/client';
  import { sum } from '../state/values';

  let {
    row,
    value,
    disabled = false,
    reach = 1,
    onchange,
  }: { row: Row; value: number[][]; disabled?: boolean; reach?: number; onchange: (v: number[][]) => void } = $props();
  const level = $derived(row.control === 'line');
  const most = $derived(level ? 24 : 8);
  const least = $derived(level ? 2 : 0);
  const names = $derived(level ? ['east', 'south'] : ['east', 'up', 'south']);

  function add() {
    const last = value.at(-1);
    const before = value.at(-2);
    if (!last)
      return onchange([
        [0.02, 0.34 * reach, 0],
        [-0.02, 0.68 * reach, 0],
        [0, reach, 0],
      ]);
    const step = before ? last.map((v, k) => v - (before[k] ?? 0)) : last;
    onchange([...value, last.map((v, k) => Math.round((v + (step[k] ?? 0) * (level ? 1 : 0.4)) * 100) / 100)]);
  }

  function type(event: Event, i: number, k: number) {
    const input = event.target as HTMLInputElement;
    const n = sum(input.value);
    if (n === null) input.value = String(value[i]?.[k] ?? 0);
    else onchange(value.map((p, j) => (j === i ? p.map((v, m) => (m === k ? n : v)) : p)));
  }
</script>

<div class="py-1" data-field={row.path}>
  <div class="mb-1 flex items-baseline justify-between gap-2">
    <span class="font-serif text-[13px] font-semibold" title={row.help}>{row.title}</span>
    <span class="text-[11.5px] text-soft">{value.length ? 'drag the points in the view' : 'none'}</span>
  </div>
  {#each value as point, i (i)}
    <div class="mb-1 flex items-center gap-1.5">
      <span class="w-4 text-right text-[11.5px] text-soft">{i + 1}</span>
      {#each point as v, k (k)}
        <input
          class="field min-w-0 flex-1 py-[2px] text-right tabular-nums"
          aria-label="point {i + 1}, {names[k]}, {row.unit}"
          {disabled}
          value={Math.round(v * 1000) / 1000}
          onchange={(e) => type(e, i, k)}
        />
      {/each}
      <button
        class="text-soft hover:text-clay disabled:opacity-30"
        aria-label="remove point {i + 1}"
        disabled={disabled || value.length <= least}
        onclick={() => onchange(value.filter((_, j) => j !== i))}><X size={14} /></button
      >
    </div>
  {/each}
  {#if !disabled && value.length < most}
    <button class="btn mt-0.5" onclick={add}><Plus size={13} /> {value.length ? 'Add a point' : 'Draw a guide'}</button>
  {/if}
</div>
