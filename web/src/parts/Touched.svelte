<script lang="ts">
  /** What was done by hand to single placements of a rule: each listed with its picture, and dropped, one by one or all. */
  import { Button, ToolbarButton } from 'flowbite-svelte';
  import X from '@lucide/svelte/icons/x';
  import type { Layer } from '../api/client';
  import type { Touch } from '../state/hand.svelte';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import Stamp from './Stamp.svelte';

  let { open, layer, disabled }: { open: SceneStore; layer: Layer; disabled: boolean } = $props();
  const SHOWN = 12;
  let all = $state(false);
  const touches = $derived((layer.parameters.touches ?? []) as Touch[]);
  const listed = $derived(all ? touches : touches.slice(0, SHOWN));
  const given = (v: unknown) => v !== undefined && v !== null;

  function words(t: Touch): string {
    if (t.removed) return 'taken out';
    const done = [
      given(t.at) ? 'moved' : '',
      given(t.turn) ? 'turned' : '',
      given(t.size) ? `${Math.round(100 * (t.size ?? 1))} % size` : '',
      given(t.lift) && !given(t.at) ? 'lifted' : '',
      given(t.asset) ? `now ${open.asset(t.asset ?? '')?.name ?? t.asset} ${t.seed}` : '',
    ];
    return done.filter(Boolean).join(', ');
  }

  const summary = $derived.by(() => {
    const out = touches.filter((t) => t.removed).length;
    const changed = touches.length - out;
    return [changed && `${changed} changed`, out && `${out} taken out`].filter(Boolean).join(' · ') || 'none yet';
  });

  function drop(ids: string[]) {
    const parameters = Object.fromEntries(ids.map((id) => [`touches#${id}`, null]));
    void open.edit({
      op: 'layer',
      id: layer.id,
      parameters: ids.length === touches.length ? { touches: [] } : parameters,
    });
  }
</script>

{#if touches.length}
  <section class="rule mt-3 pt-2" aria-label="touched by hand">
    <div class="mb-1 flex items-baseline justify-between">
      <h2 class="text-[14px]">Touched by hand</h2>
      <span class="text-[12px] text-soft" data-touched={touches.length}>{summary}</span>
    </div>
    <ul class="flex flex-col gap-1">
      {#each listed as t (t.id)}
        {@const asset = open.asset(t.of ?? '')}
        <li class="flex items-center gap-2 rounded border border-line pl-1" data-touch={t.id}>
          {#if asset}<img
              src="/api/scenes/{open.id}/assets/{asset.id}/picture?v={asset.version}"
              alt=""
              class="portrait size-8 rounded"
            />{:else}<Stamp kind={layer.kind} size={28} />{/if}
          <span class="min-w-0 flex-1 truncate"><b class="font-serif">{asset?.name ?? 'One'}</b> {words(t)}</span>
          {#if !disabled}<ToolbarButton
              class="size-7 text-soft"
              aria-label="drop what was done to {asset?.name ?? 'it'}"
              title="As its rule has it again"
              onclick={() => drop([t.id])}><X size={15} /></ToolbarButton
            >{/if}
        </li>
      {/each}
    </ul>
    {#if listed.length < touches.length}
      <Button color="alternative" size="xs" class="mt-1.5" onclick={() => (all = true)}
        >All {touches.length.toLocaleString('en')}</Button
      >
    {/if}
    {#if !disabled && touches.length > 1}
      <Button color="alternative" size="xs" class="mt-1.5" onclick={() => drop(touches.map((t) => t.id))}
        >Drop all</Button
      >
    {/if}
  </section>
{/if}
