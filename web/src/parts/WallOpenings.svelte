<script lang="ts">
  /** The openings of a wall or a run that no path asks for: where, how wide and under what. */
  import { Button, Select } from 'flowbite-svelte';
  import Plus from '@lucide/svelte/icons/plus';
  import X from '@lucide/svelte/icons/x';
  import type { Layer, WallValues } from '../api/client';
  import { ruled } from '../controls/ruler';
  import RuledSlider from '../controls/RuledSlider.svelte';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import { alongOf, freeId, lineAt, placeAt, type Line, type Opening } from '../state/walls';

  let {
    open,
    layer,
    disabled,
    oninput,
    onchange,
    heads = ['open', 'lintel', 'arch'],
  }: {
    open: SceneStore;
    layer: Layer;
    disabled: boolean;
    oninput: (path: string, value: unknown) => void;
    onchange: (path: string, value: unknown) => void;
    /** What may be over them. */
    heads?: Opening['head'][];
  } = $props();
  const HEADS = { open: 'Open to the sky', lintel: 'Under a lintel', arch: 'Under an arch' };
  const openings = $derived(((layer.parameters as unknown as WallValues).openings ?? []) as Opening[]);
  const curve = $derived(open.view(layer.id)?.curves?.[0]);
  const length = $derived(curve?.length ?? 0);
  let line = $state.raw<Line>([]);
  $effect(() => {
    const address = curve?.line;
    if (!address) return;
    void lineAt(address).then((l) => {
      if (curve?.line === address) line = l;
    });
  });

  const number = (
    id: string,
    path: string,
    title: string,
    hard: [number, number],
    soft: [number, number],
    step: number,
  ) => ruled({ path: `openings#${id}.${path}`, title, hard, soft, unit: 'm', step, start: soft[0] });
  const changed = (k: number, change: Partial<Opening>) => openings.map((o, i) => (i === k ? { ...o, ...change } : o));
  const tried = (k: number, change: Partial<Opening>) => oninput('openings', changed(k, change));
  const kept = (k: number, change: Partial<Opening>) => onchange('openings', changed(k, change));

  function add() {
    // each somewhere else, the first beside the middle, where paths often cross
    const share = (0.382 * (openings.length + 1)) % 1;
    const at = placeAt(line, share * length);
    onchange('openings', [...openings, { id: freeId(openings), at, width: 1.2, height: 2, head: 'open' }]);
  }
</script>

<section class="mt-2" data-openings>
  {#each openings as o, k (o.id)}
    <div class="mt-1.5 rounded border border-line px-2 py-1" data-opening={o.id}>
      <div class="flex items-center justify-between gap-2">
        <span class="font-serif text-[13px] font-semibold">Opening {k + 1}</span>
        <span class="flex items-center gap-1">
          <Select
            size="sm"
            class="w-36"
            placeholder=""
            aria-label="opening {k + 1}, under what"
            {disabled}
            items={heads.map((value) => ({ value, name: HEADS[value] }))}
            value={o.head}
            onchange={(e) => kept(k, { head: e.currentTarget.value as Opening['head'] })}
          />
          {#if !disabled}
            <Button
              color="alternative"
              size="xs"
              class="border-0 p-1.5!"
              aria-label="remove opening {k + 1}"
              onclick={() =>
                onchange(
                  'openings',
                  openings.filter((_, i) => i !== k),
                )}><X size={14} /></Button
            >
          {/if}
        </span>
      </div>
      {#if line.length > 1}
        <RuledSlider
          row={number(o.id, 'along', 'From its start', [0, length], [0, length], 0.05)}
          value={alongOf(line, o.at as [number, number])}
          {disabled}
          oninput={(v) => tried(k, { at: placeAt(line, v) })}
          onchange={(v) => kept(k, { at: placeAt(line, v) })}
        />
      {/if}
      <RuledSlider
        row={number(o.id, 'width', 'Wide', [0.3, 12], [0.5, 4], 0.05)}
        value={o.width}
        {disabled}
        oninput={(v) => tried(k, { width: v })}
        onchange={(v) => kept(k, { width: v })}
      />
      {#if o.head !== 'open'}
        <RuledSlider
          row={number(o.id, 'height', 'Clear height', [0.3, 8], [1, 3], 0.05)}
          value={o.height}
          {disabled}
          oninput={(v) => tried(k, { height: v })}
          onchange={(v) => kept(k, { height: v })}
        />
      {/if}
    </div>
  {/each}
  {#if !disabled && line.length > 1}
    <Button color="alternative" size="xs" class="mt-1.5" onclick={add}
      ><Plus size={13} class="mr-1" />Add an opening</Button
    >
  {/if}
</section>
