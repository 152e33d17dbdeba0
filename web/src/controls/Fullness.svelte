<script lang="ts">
  /** One dial that thins a plant, what it did, and the setting that meets a number of triangles. */
  import { Button, Input } from 'flowbite-svelte';
  import { said, type Row } from '../api/client';
  import type { BenchState } from '../state/bench.svelte';
  import { sum } from '../state/values';
  import RuledSlider from './RuledSlider.svelte';

  let {
    bench,
    row,
    rows,
    value,
    disabled = false,
    oninput,
    onchange,
  }: {
    bench: BenchState;
    row: Row;
    rows: Row[];
    value: number;
    disabled?: boolean;
    oninput: (v: number) => void;
    onchange: (v: number) => void;
  } = $props();
  let wanted = $state('8,000');
  let note = $state('');
  let bad = $state(false);
  const changed = $derived(
    Object.entries(bench.made?.facts.changed ?? {}).map(([path, [before, after]]) => {
      const r = rows.find((x) => x.path === path);
      return { path, title: r ? `${r.section ? `${r.section}: ` : ''}${r.title}` : path, before, after };
    }),
  );
  const tidy = (v: number) => v.toLocaleString('en', { maximumFractionDigits: v < 10 ? 2 : 0 });

  async function fit() {
    const n = sum(wanted.replace(/[ ,]/g, ''));
    bad = !n || n < 1;
    if (!n || n < 1) {
      note = 'a whole number of triangles is needed';
      return;
    }
    note = 'looking…';
    try {
      const found = await bench.fit(Math.round(n));
      note = `${found.triangles.toLocaleString('en')} triangles at ${found.fullness.toFixed(2)}`;
      onchange(found.fullness);
    } catch (error) {
      bad = true;
      note = said(error);
    }
  }
</script>

<RuledSlider {row} {value} {disabled} oninput={(v) => oninput(v)} onchange={(v) => onchange(v)} />
<form
  class="flex items-center gap-2 py-1"
  onsubmit={(e) => {
    e.preventDefault();
    void fit();
  }}
>
  <label class="flex min-w-0 flex-1 items-center gap-2"
    >Fit to
    <Input
      class="min-w-0 flex-1 text-right tabular-nums"
      bind:value={wanted}
      {disabled}
      aria-label="triangles to fit to"
    />
    triangles</label
  >
  <Button type="submit" color="alternative" {disabled}>Fit</Button>
</form>
{#if note}<p class="text-[12px] {bad ? 'text-clay' : 'text-soft'}" role="status">{note}</p>{/if}
{#if changed.length}
  <div class="mt-1 rounded border border-line bg-plate px-2.5 py-1.5 text-[12px]" data-changed>
    <p class="mb-0.5 text-soft">The dial has changed</p>
    {#each changed as c (c.path)}
      <p class="flex justify-between gap-2">
        <span class="truncate">{c.title}</span><span class="tabular-nums">{tidy(c.before)} → {tidy(c.after)}</span>
      </p>
    {/each}
  </div>
{/if}
