<script lang="ts">
  /** Below the sentence of a layer that places: each of its mix, and what a place must be like. */
  import type { Snippet } from 'svelte';
  import type { Layer } from '../api/client';
  import Conditions from '../controls/Conditions.svelte';
  import { choicesOf, rowsOf } from '../layers/registry';
  import { countsOf, namedMix, type MixEntry } from '../state/mix';
  import type { Condition } from '../state/conditions';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import MixList from './MixList.svelte';

  let {
    open,
    layer,
    disabled,
    oninput,
    onchange,
    beside,
  }: {
    open: SceneStore;
    layer: Layer;
    disabled: boolean;
    oninput: (path: string, value: unknown) => void;
    onchange: (path: string, value: unknown) => void;
    beside?: Snippet; // right of the heading of the conditions
  } = $props();
  const mix = $derived((layer.parameters.mix ?? []) as MixEntry[]);
  const conditions = $derived((layer.parameters.conditions ?? []) as Condition[]);
  const asked = $derived(rowsOf(layer.kind).find((r) => r.path === 'conditions')); // not every kind asks for a place
  const choices = (facet: string) => choicesOf(open, facet, layer.id);
  const counts = $derived(countsOf(open.view(layer.id)));
  const own = (m: MixEntry) => Boolean(m.conditions?.length) || (open.asset(m.asset)?.seeds.length ?? 0) > 1;
  const shown = $derived(mix.length > 1 || mix.some((m) => own(m) || namedMix(open.scene?.settings, m.asset)));
</script>

{#if shown}
  <MixList
    {open}
    {mix}
    {counts}
    {choices}
    {disabled}
    oninput={(v) => oninput('mix', v)}
    onchange={(v) => onchange('mix', v)}
  />
{/if}
{#if asked}
  <section class="rule mt-3 pt-2" aria-label="where">
    <div class="mb-1 flex items-baseline justify-between">
      <h2 class="text-[14px]">Where</h2>
      {@render beside?.()}
    </div>
    <Conditions
      {conditions}
      most={asked.most ?? 8}
      {choices}
      {disabled}
      oninput={(id, v) => oninput(`conditions#${id}`, v)}
      onchange={(id, v) => onchange(`conditions#${id}`, v)}
    />
  </section>
{/if}
