<script lang="ts">
  /** The parts of a group, each with its place, or of a heap, each with its share; opened one at a time, taken out, added. */
  import { ToolbarButton } from 'flowbite-svelte';
  import X from '@lucide/svelte/icons/x';
  import type { Row } from '../api/client';
  import AddAsset from './AddAsset.svelte';
  import { ruled } from './ruler';
  import RuledSlider from './RuledSlider.svelte';

  interface Part {
    id: string;
    asset: string;
    seed?: number;
    at?: [right: number, up: number, front: number];
    turn?: number;
    size?: number;
    seeds?: number;
    share?: number;
    [more: string]: unknown;
  }
  let {
    row,
    heaped = false,
    value,
    disabled,
    choices,
    oninput,
    onchange,
  }: {
    row: Row;
    heaped?: boolean;
    value: Part[];
    disabled: boolean;
    choices: { id: string; name: string; seeds?: number[] }[];
    oninput?: (v: unknown) => void;
    onchange: (v: unknown) => void;
  } = $props();
  let opened = $state('');
  const named = (id: string) => choices.find((c) => c.id === id)?.name;
  type Range = [low: number, high: number];
  const ruler = (path: string, title: string, soft: Range, hard: Range, unit: string, start: number) =>
    ruled({ path: `parts.${path}`, title, hard, soft, unit, step: unit === 'm' ? 0.01 : 1, start });
  const SIZE: [string, Row] = ['size', ruler('size', 'Size', [30, 200], [5, 2000], '%', 100)];
  const HEAPED: [string, Row][] = [
    ['share', ruler('share', 'Share', [0, 5], [0, 100], '', 1)],
    ['seeds', ruler('seeds', 'Of so many seeds', [1, 8], [1, 8], '', 4)],
    SIZE,
  ];
  const PLACED: [string, Row][] = [
    ['0', ruler('right', 'To the right', [-3, 3], [-100, 100], 'm', 0)],
    ['1', ruler('up', 'Up', [-1, 3], [-100, 100], 'm', 0)],
    ['2', ruler('front', 'To the front', [-3, 3], [-100, 100], 'm', 0)],
    ['turn', ruler('turn', 'Turned', [0, 360], [0, 360], '°', 0)],
    SIZE,
  ];
  const most = $derived(heaped ? 8 : 64);
  const shown = (p: Part, name: string) =>
    name === 'share'
      ? (p.share ?? 1)
      : name === 'seeds'
        ? (p.seeds ?? 4)
        : name === 'turn'
          ? (p.turn ?? 0)
          : name === 'size'
            ? Math.round(100 * (p.size ?? 1))
            : (p.at?.[Number(name)] ?? 0);

  /** All parts, with a number of one of them changed. */
  function withNumber(id: string, name: string, v: number): Part[] {
    return value.map((p) => {
      if (p.id !== id) return p;
      if (name === 'share' || name === 'seeds') return { ...p, [name]: v };
      if (name === 'turn') return { ...p, turn: v };
      if (name === 'size') return { ...p, size: v / 100 };
      const at: [number, number, number] = [...(p.at ?? [0, 0, 0])];
      at[Number(name)] = v;
      return { ...p, at };
    });
  }
  const without = (id: string) => value.filter((p) => p.id !== id);

  function add(asset: string) {
    const id = crypto.randomUUID().slice(0, 8);
    opened = id;
    onchange([...value, { id, asset, seed: choices.find((c) => c.id === asset)?.seeds?.[0] ?? 1 }]);
  }
</script>

<div data-field={row.path}>
  {#if !value.length}<p class="py-1 text-[12.5px] text-soft">
      {heaped
        ? 'Nothing lies in it yet: add assets here.'
        : 'No parts yet: add assets here, or choose placements on the board and group them.'}
    </p>{/if}
  <ul>
    {#each value as p (p.id)}
      <li class="border-b border-line/60 py-0.5">
        <div class="flex items-center gap-1">
          <button
            class="min-w-0 flex-1 truncate rounded px-1 py-1 text-left font-serif text-[13.5px] hover:bg-moss-tint {named(
              p.asset,
            )
              ? ''
              : 'text-clay line-through'}"
            aria-expanded={opened === p.id}
            onclick={() => (opened = opened === p.id ? '' : p.id)}>{named(p.asset) ?? p.asset}</button
          >
          <ToolbarButton
            aria-label="take {named(p.asset) ?? p.asset} out"
            {disabled}
            onclick={() => onchange(without(p.id))}><X size={15} /></ToolbarButton
          >
        </div>
        {#if opened === p.id}
          <div class="pb-1.5 pl-1">
            {#each heaped ? HEAPED : PLACED as [name, numbers] (name)}
              <RuledSlider
                row={numbers}
                value={shown(p, name)}
                {disabled}
                oninput={(v) => oninput?.(withNumber(p.id, name, v))}
                onchange={(v) => onchange(withNumber(p.id, name, v))}
              />
            {/each}
          </div>
        {/if}
      </li>
    {/each}
  </ul>
  {#if !disabled && value.length < most}
    <AddAsset label="asset to add" {choices} onadd={add} />
  {/if}
</div>
