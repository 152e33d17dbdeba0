<script lang="ts">
  /** The assets that a building takes as pieces of its own: what each stands in place of, which faces take it, and how it sits in a cell. */
  import { Button, Checkbox, Select, ToolbarButton } from 'flowbite-svelte';
  import Pencil from '@lucide/svelte/icons/pencil';
  import X from '@lucide/svelte/icons/x';
  import type { Row } from '../api/client';
  import AddAsset from './AddAsset.svelte';
  import { ruled } from './ruler';
  import RuledSlider from './RuledSlider.svelte';

  interface Piece {
    id: string;
    asset: string;
    seed?: number;
    name?: string;
    role?: string;
    share?: number;
    fit?: string;
    mirrored?: string;
    cut?: boolean;
    wide?: number;
    high?: number;
    sill?: number;
    deep?: number;
    [more: string]: unknown;
  }
  let {
    row,
    value,
    disabled,
    choices,
    kit,
    bench,
    oninput,
    onchange,
  }: {
    row: Row;
    value: Piece[];
    disabled: boolean;
    choices: { id: string; name: string; seeds?: number[]; drawn?: boolean }[];
    kit: string[]; // names of its pieces
    bench?: { fresh: () => Promise<string | undefined>; open: (asset: string) => void }; // makes a house piece; goes to an asset's own bench
    oninput?: (v: unknown) => void;
    onchange: (v: unknown) => void;
  } = $props();
  let opened = $state('');
  const asset = (p: Piece) => choices.find((c) => c.id === p.asset);
  const title = (p: Piece) => asset(p)?.name ?? p.asset;
  /** Whether a piece other than that one is called so. */
  const taken = (id: string, name: string) => value.some((p) => p.id !== id && (p.name || p.asset) === name);
  /** What a piece is called where it stands beside the kit's: as its asset, with a number where another is called so. */
  function named(id: string, asset: string) {
    const name = (choices.find((c) => c.id === asset)?.name ?? asset).slice(0, 36);
    const free = (n: string) => !kit.includes(n) && !taken(id, n);
    let own = name;
    for (let k = 2; !free(own); k += 1) own = `${name} ${k}`;
    return own;
  }
  type Range = [low: number, high: number];
  const ruler = (path: string, name: string, soft: Range, hard: Range, unit: string, start: number) =>
    ruled({ path: `pieces.${path}`, title: name, hard, soft, unit, step: unit === 'm' ? 0.01 : 0.1, start });
  const SHARE = ruler('share', 'Share', [0, 5], [0, 100], '', 1);
  const OPENING: ['wide' | 'high' | 'sill' | 'deep', Row, number][] = [
    ['wide', ruler('wide', 'Opening wide', [0.3, 3], [0.1, 20], 'm', 0.9), 0.9],
    ['high', ruler('high', 'High', [0.3, 3], [0.1, 12], 'm', 1.2), 1.2],
    ['sill', ruler('sill', 'Above its foot', [0, 2], [0, 12], 'm', 0), 0],
    ['deep', ruler('deep', 'Into the wall', [0.02, 0.6], [0.02, 2], 'm', 0.2), 0.2],
  ];
  const ROLES = [
    { value: 'all', name: 'On all faces' },
    { value: 'front', name: 'On the front' },
    { value: 'lower', name: 'On the ground floor' },
    { value: 'upper', name: 'On upper floors' },
    { value: 'gable', name: 'In gables' },
    { value: 'none', name: 'Where it is put by hand' },
  ];
  const FITS = [
    { value: 'own', name: 'Its own size' },
    { value: 'wide', name: 'As wide as its cell' },
    { value: 'cell', name: 'As wide and high as its cell' },
  ];
  const SIDES = [
    { value: 'never', name: 'As it is' },
    { value: 'always', name: 'Mirrored' },
    { value: 'chance', name: 'Mirrored by chance' },
  ];
  const most = $derived(row.most ?? 16);
  const withOne = (id: string, change: Partial<Piece>) => value.map((p) => (p.id === id ? { ...p, ...change } : p));

  function add(asset: string) {
    const id = crypto.randomUUID().slice(0, 8);
    const seed = choices.find((c) => c.id === asset)?.seeds?.[0] ?? 1;
    opened = id;
    onchange([...value, { id, asset, name: named(id, asset), seed, share: 1, role: 'all' }]);
  }
  async function make() {
    const asset = await bench?.fresh();
    if (asset) add(asset);
  }
</script>

{#snippet pick(p: Piece, name: 'role' | 'fit' | 'mirrored', label: string, items: { value: string; name: string }[])}
  <label class="grid grid-cols-[108px_1fr] items-center gap-2.5 py-[3px]">
    <span class="leading-tight">{label}</span>
    <Select
      size="sm"
      class="min-w-0 py-1 text-[12.5px]"
      placeholder=""
      aria-label="{title(p)}: {label}"
      {disabled}
      {items}
      value={p[name] ?? items[0]?.value}
      onchange={(e) => onchange(withOne(p.id, { [name]: e.currentTarget.value }))}
    />
  </label>
{/snippet}

<div data-field={row.path} class="mt-1.5">
  <div class="flex items-center justify-between">
    <span class="font-serif text-[13.5px]">Pieces of its own</span>
    {#if bench && !disabled && value.length < most}<Button
        color="alternative"
        size="xs"
        title="A new asset: a window, door, panel or balcony, drawn in the colours of this building"
        onclick={make}>New house piece</Button
      >{/if}
  </div>
  {#if !value.length}<p class="py-1 text-[12.5px] text-soft">
      Assets of the scene may fill cells: house pieces, or any other, brought along or made here.
    </p>{/if}
  <ul>
    {#each value as p (p.id)}
      <li class="border-b border-line/60 py-0.5" data-piece={p.id}>
        <div class="flex items-center gap-1">
          <button
            class="min-w-0 flex-1 truncate rounded px-1 py-1 text-left font-serif text-[13.5px] hover:bg-moss-tint {asset(
              p,
            )
              ? ''
              : 'text-clay line-through'}"
            aria-expanded={opened === p.id}
            onclick={() => (opened = opened === p.id ? '' : p.id)}
            >{title(p)}{#if kit.includes(p.name ?? '')}<span class="text-soft">, for {p.name}</span>{/if}</button
          >
          {#if bench && asset(p)}<ToolbarButton
              aria-label="open {title(p)} on the bench"
              title="On the bench"
              onclick={() => bench?.open(p.asset)}><Pencil size={14} /></ToolbarButton
            >{/if}
          <ToolbarButton
            aria-label="take {title(p)} out"
            {disabled}
            onclick={() => onchange(value.filter((o) => o.id !== p.id))}><X size={15} /></ToolbarButton
          >
        </div>
        {#if opened === p.id}
          <div class="pb-1.5 pl-1">
            <label class="grid grid-cols-[108px_1fr] items-center gap-2.5 py-[3px]">
              <span class="leading-tight">Stands</span>
              <Select
                size="sm"
                class="min-w-0 py-1 text-[12.5px]"
                placeholder=""
                aria-label="{title(p)}: Stands"
                {disabled}
                items={[
                  { value: '', name: "beside the kit's pieces" },
                  ...kit.filter((n) => !taken(p.id, n)).map((n) => ({ value: n, name: `in place of ${n}` })),
                ]}
                value={kit.includes(p.name ?? '') ? p.name : ''}
                onchange={(e) =>
                  onchange(
                    withOne(
                      p.id,
                      e.currentTarget.value
                        ? { name: e.currentTarget.value, role: 'none' }
                        : { name: named(p.id, p.asset), role: 'all' },
                    ),
                  )}
              />
            </label>
            {@render pick(p, 'role', 'Taken', ROLES)}
            {#if (p.role ?? 'all') !== 'none'}
              <RuledSlider
                row={SHARE}
                value={p.share ?? 1}
                {disabled}
                oninput={(v) => oninput?.(withOne(p.id, { share: v }))}
                onchange={(v) => onchange(withOne(p.id, { share: v }))}
              />
            {/if}
            {#if !asset(p)?.drawn}
              {@render pick(p, 'fit', 'Sized', FITS)}
              {@render pick(p, 'mirrored', 'Turned', SIDES)}
              <Checkbox
                class="py-1"
                {disabled}
                checked={p.cut ?? true}
                onchange={(e) => onchange(withOne(p.id, { cut: e.currentTarget.checked }))}
                >The wall is open behind it</Checkbox
              >
              {#if p.cut ?? true}
                {#each OPENING as [name, numbers, start] (name)}
                  <RuledSlider
                    row={numbers}
                    value={p[name] ?? start}
                    {disabled}
                    oninput={(v) => oninput?.(withOne(p.id, { [name]: v }))}
                    onchange={(v) => onchange(withOne(p.id, { [name]: v }))}
                  />
                {/each}
              {/if}
            {/if}
          </div>
        {/if}
      </li>
    {/each}
  </ul>
  {#if !disabled && value.length < most}
    <AddAsset label="asset to take as a piece" {choices} onadd={add} />
  {/if}
</div>
