<script lang="ts">
  /** What is built on to the edges of a plan. */
  import { Button, Select, ToolbarButton } from 'flowbite-svelte';
  import X from '@lucide/svelte/icons/x';
  import type { Row } from '../api/client';
  import { ruled } from './ruler';
  import RuledSlider from './RuledSlider.svelte';

  interface Wing {
    id: string;
    edge?: string;
    at?: number;
    wide?: number;
    deep?: number;
    storeys?: number;
  }
  let {
    row,
    value,
    disabled,
    edges,
    oninput,
    onchange,
  }: {
    row: Row;
    value: Wing[];
    disabled: boolean;
    edges: string[]; // of the plan, as far as they are known
    oninput?: (v: unknown) => void;
    onchange: (v: unknown) => void;
  } = $props();
  type Range = [low: number, high: number];
  const ruler = (path: string, title: string, soft: Range, hard: Range, unit: string, step: number, start: number) =>
    ruled({ path: `wings.${path}`, title, hard, soft, unit, step, start });
  const NUMBERS: [keyof Wing, Row, number][] = [
    ['at', ruler('at', 'Along the edge', [0, 100], [0, 100], '%', 1, 50), 0.5],
    ['wide', ruler('wide', 'Wide', [1, 12], [0.6, 60], 'm', 0.1, 4), 4],
    ['deep', ruler('deep', 'Deep', [1, 10], [0.3, 60], 'm', 0.1, 3), 3],
    ['storeys', ruler('storeys', 'Storeys', [1, 4], [1, 12], '', 1, 1), 1],
  ];
  const shown = (w: Wing, name: keyof Wing, start: number) => {
    const v = (w[name] as number | undefined) ?? start;
    return name === 'at' ? Math.round(100 * v) : v;
  };
  const withOne = (id: string, change: Partial<Wing>) => value.map((w) => (w.id === id ? { ...w, ...change } : w));
  const numbered = (id: string, name: keyof Wing, v: number) => withOne(id, { [name]: name === 'at' ? v / 100 : v });
  const most = $derived(row.most ?? 6);

  function add() {
    const id =
      ['a', 'b', 'c', 'd', 'e', 'f', 'g'].find((n) => !value.some((w) => w.id === n)) ??
      crypto.randomUUID().slice(0, 8);
    onchange([...value, { id, edge: edges[2] ?? edges[0] ?? 'w0', at: 0.5, wide: 3.6, deep: 2.6, storeys: 1 }]);
  }
</script>

<div data-field={row.path} class="mt-1">
  <div class="flex items-center justify-between">
    <span class="font-serif text-[13.5px]">Wings</span>
    {#if !disabled && value.length < most}<Button color="alternative" size="xs" onclick={add}>Add a wing</Button>{/if}
  </div>
  {#each value as w, k (w.id)}
    <div class="mt-1.5 rounded border border-line px-2 py-1" data-wing={w.id}>
      <div class="flex items-center justify-between gap-2">
        <span class="font-serif text-[13px] font-semibold">Wing {k + 1}</span>
        <span class="flex items-center gap-1">
          <Select
            size="sm"
            class="w-32"
            placeholder=""
            aria-label="edge that wing {k + 1} is built on to"
            {disabled}
            items={[...new Set([...edges, w.edge ?? 'w2'])].map((e) => ({ value: e, name: `on to ${e}` }))}
            value={w.edge ?? 'w2'}
            onchange={(e) => onchange(withOne(w.id, { edge: e.currentTarget.value }))}
          />
          <ToolbarButton
            aria-label="take wing {k + 1} away"
            {disabled}
            onclick={() => onchange(value.filter((o) => o.id !== w.id))}><X size={15} /></ToolbarButton
          >
        </span>
      </div>
      {#each NUMBERS as [name, numbers, start] (name)}
        <RuledSlider
          row={numbers}
          value={shown(w, name, start)}
          {disabled}
          oninput={(v) => oninput?.(numbered(w.id, name, v))}
          onchange={(v) => onchange(numbered(w.id, name, v))}
        />
      {/each}
    </div>
  {/each}
</div>
