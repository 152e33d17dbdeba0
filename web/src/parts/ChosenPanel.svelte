<script lang="ts">
  /** The chosen placements: how many of what, numbers for all of them, and what can be done to them. */
  import { Button, ButtonGroup, Checkbox, CloseButton, Input, Select } from 'flowbite-svelte';
  import RuledSlider from '../controls/RuledSlider.svelte';
  import type { Row } from '../api/client';
  import { ABSOLUTE_ROWS, chosen, leanOf, RELATIVE_ROWS, type Change } from '../state/chosen.svelte';
  import type { SceneStore } from '../state/sceneStore.svelte';

  let {
    open,
    rule,
    variants,
    height,
    ontry,
    onchange,
    onalike,
    ongroup,
  }: {
    open: SceneStore;
    rule: boolean; // a rule placed them
    variants: { asset: string; seed: number }[];
    height: (x: number, z: number) => number; // of the ground
    ontry: (change: Change) => void;
    onchange: (change: Change) => void;
    onalike: () => void;
    ongroup: (name: string) => void;
  } = $props();
  const named = (asset: string) => open.asset(asset)?.name ?? asset;
  const first = $derived(chosen.things[0]);
  const many = $derived(chosen.things.length > 0);
  const one = $derived(chosen.things.length === 1);
  const own = $derived(chosen.relative && chosen.axes === 'own');
  const rows = $derived(chosen.relative ? RELATIVE_ROWS : ABSOLUTE_ROWS);
  /** What the rulers show: of numbers that add nothing, of others what the first has. */
  const now = $derived.by(() => {
    if (chosen.relative || !first) return { east: 0, south: 0, lift: 0, turn: 0, leanEast: 0, leanSouth: 0, size: 100 };
    const [east, south] = chosen.middle;
    const r = (v: number) => Math.round(100 * v) / 100;
    const [leanEast, leanSouth] = leanOf(first.up).map(r) as [number, number];
    const lift = r(first.at.y - height(first.at.x, first.at.z));
    const [turn, size] = [r(first.turn), Math.round(100 * first.size)];
    return { east: r(east), south: r(south), lift, turn, leanEast, leanSouth, size };
  });
  let growing = $state(0); // rulers are set back once what they add is done
  type Name = keyof typeof now;

  function changed(name: Name, value: number): Change {
    const { relative } = chosen;
    if (name === 'east') return { move: [value, relative ? 0 : now.south] };
    if (name === 'south') return { move: [relative ? 0 : now.east, value] };
    if (name === 'leanEast') return { lean: [value, relative ? 0 : now.leanSouth] };
    if (name === 'leanSouth') return { lean: [relative ? 0 : now.leanEast, value] };
    return { [name]: name === 'size' ? value / 100 : value };
  }
  function keep(name: Name, value: number) {
    onchange(changed(name, value));
    growing++;
  }
  const rulers: [Name, Row][] = $derived([
    ['east', own ? RELATIVE_ROWS.right : rows.east],
    ['south', own ? RELATIVE_ROWS.front : rows.south],
    ['lift', rows.lift],
    ['turn', rows.turn],
    ['leanEast', own ? RELATIVE_ROWS.leanRight : rows.leanEast],
    ['leanSouth', own ? RELATIVE_ROWS.leanFront : rows.leanSouth],
    ['size', rows.size],
  ]);
  const choices = $derived(
    variants.map((v) => ({ value: `${v.asset} ${v.seed}`, name: `${named(v.asset)} ${v.seed}` })),
  );
  let swap = $state('');
  let naming = $state(false);
  let name = $state('');
  const all = (word: string) => (one ? word.replace('them', 'it') : word);
</script>

{#snippet act(word: string, title: string, change: Change)}
  <Button color="alternative" size="xs" {title} onclick={() => onchange(change)}>{all(word)}</Button>
{/snippet}

<section
  class="absolute top-24 right-3.5 z-10 flex max-h-[calc(100%-160px)] w-[300px] flex-col rounded-md border border-line bg-leaf shadow-lg"
  aria-label="the chosen"
>
  <div class="flex items-baseline justify-between border-b border-line px-3.5 pt-2 pb-1.5">
    <h2 class="text-[16px]">{many ? chosen.things.length.toLocaleString('en') : 'None'} chosen</h2>
    {#if many}<CloseButton
        class="-mr-2 p-1"
        size="sm"
        aria-label="let go of the chosen"
        onclick={() => (chosen.things = [])}
      />{/if}
  </div>
  <div class="min-h-0 flex-1 overflow-y-auto px-3.5 pb-3">
    <p class="mt-1.5 text-[12.5px] text-soft">
      {#if many}{chosen.counts.map(([asset, n]) => `${n.toLocaleString('en')} ${named(asset)}`).join(', ')}{:else}Click
        one, or hold Shift and draw about many.{/if}
    </p>
    <div class="mt-2 flex gap-1.5">
      {#if many}<Button
          color="alternative"
          size="xs"
          title="All of the layer that are of the same assets"
          onclick={onalike}>All alike</Button
        >{/if}
      <ButtonGroup role="group" aria-label="what is drawn with Shift">
        {#each ['lasso', 'rectangle'] as const as form (form)}
          <Button
            size="xs"
            color={chosen.form === form ? 'primary' : 'alternative'}
            aria-pressed={chosen.form === form}
            onclick={() => (chosen.form = form)}>{form}</Button
          >
        {/each}
      </ButtonGroup>
    </div>
    {#if many}
      <div class="rule mt-2.5 flex flex-wrap items-center gap-x-4 gap-y-1.5 pt-2 text-[12.5px]">
        <Checkbox bind:checked={chosen.relative}>add to each</Checkbox>
        {#if chosen.relative}
          <Checkbox bind:checked={() => own, (v) => (chosen.axes = v ? 'own' : 'scene')}>own axes</Checkbox>
          {#if !one}
            <Checkbox bind:checked={() => chosen.about === 'middle', (v) => (chosen.about = v ? 'middle' : 'each')}
              >as one</Checkbox
            >
          {/if}
        {/if}
      </div>
      {#key `${growing} ${chosen.relative} ${own}`}
        <div class="mt-1.5">
          {#each rulers as [name, row] (name)}
            <RuledSlider
              {row}
              value={now[name]}
              oninput={(v) => ontry(changed(name, v))}
              onchange={(v) => keep(name, v)}
            />
          {/each}
        </div>
      {/key}
      {#if choices.length > 1}
        <div class="mt-1.5 flex items-center gap-2">
          <span class="text-[13px]">Swap for</span>
          <Select
            size="sm"
            class="min-w-0 flex-1 py-1 text-[12.5px]"
            aria-label="swap for"
            items={choices}
            placeholder="another…"
            bind:value={swap}
            onchange={() => {
              const [asset, seed] = [swap.slice(0, swap.lastIndexOf(' ')), swap.slice(swap.lastIndexOf(' ') + 1)];
              if (asset) onchange({ asset, seed: Number(seed) });
              swap = '';
            }}
          />
        </div>
      {/if}
      <div class="rule mt-2.5 flex flex-wrap gap-1.5 pt-2">
        {@render act('Drop them', 'Onto what is beneath', { do: 'drop' })}
        {@render act('Clear of the ground', 'Tilted and lifted until they cut it nowhere', { do: 'clear' })}
        {@render act('Upright', 'Level on their feet', { up: 'upright' })}
        {@render act('Square to it', 'To what they stand on', { up: 'surface' })}
        {#if !one}
          {@render act('Push apart', 'Until none stands into another', { do: 'apart' })}
          {@render act('… by footprints', 'Until no foot is on another', { do: 'footprints' })}
        {/if}
        {@render act('Loosen them', 'They keep their height whatever becomes of the ground', { do: 'loosen' })}
        {@render act('Follow the ground', 'They rise and fall with it again', { do: 'follow' })}
        {#if !rule}{@render act('Double them', 'Once more, a metre beside', { do: 'double', move: [1, 0] })}{/if}
        {#if rule}{@render act('Back to the rule', 'As the layer’s rule has them', { do: 'rule' })}{/if}
        {@render act('Take them out', 'Delete', { do: 'remove' })}
        {#if !one && chosen.things.length <= 64}
          <Button
            color="alternative"
            size="xs"
            title="One asset of all of them, to be set down again"
            aria-expanded={naming}
            onclick={() => (naming = !naming)}>Group…</Button
          >
        {/if}
      </div>
      {#if naming && !one}
        <form
          class="mt-2 flex items-center gap-2"
          onsubmit={(e) => {
            e.preventDefault();
            ongroup(name.trim() || 'Group');
            [naming, name] = [false, ''];
          }}
        >
          <Input
            size="sm"
            class="min-w-0 flex-1"
            aria-label="name of the group"
            placeholder="Group"
            maxlength={80}
            bind:value={name}
          />
          <Button type="submit" size="xs" color="primary">Make it</Button>
        </form>
      {/if}
    {/if}
  </div>
</section>
