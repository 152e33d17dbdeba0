<script lang="ts">
  /** The selected layer: name, seed, rule sentence, exact numbers. */
  import Trash from '@lucide/svelte/icons/trash-2';
  import { push } from 'svelte-spa-router';
  import type { Layer, Row, Values } from '../api/client';
  import Field from '../controls/Field.svelte';
  import Seed from '../controls/Seed.svelte';
  import { app } from '../state/app.svelte';
  import type { OpenScene } from '../state/scene.svelte';
  import { big, grouped, read } from '../state/values';
  import AssetShelf from './AssetShelf.svelte';
  import BakeSheet from './BakeSheet.svelte';
  import Sentence from './Sentence.svelte';

  let { open, layer }: { open: OpenScene; layer: Layer } = $props();
  const rows = $derived((app.layers.find((k) => k.name === layer.kind)?.parameters ?? []) as Row[]);
  const view = $derived(open.view(layer.id));
  const disabled = $derived(!open.canEdit);
  const groups = $derived(
    grouped(rows.filter((r) => !['points', 'mix', 'reference', 'seed'].includes(r.control) && r.group)),
  );
  let draft: Values = {};

  function oninput(path: string, value: unknown) {
    draft = { ...draft, [path]: value };
    void open.draft(layer.id, draft);
  }

  function onchange(path: string, value: unknown) {
    draft = {};
    void open.edit({ op: 'layer', id: layer.id, parameters: { [path]: value } });
  }

  function summary(group: string): string {
    if (group === 'How close' && view) return `${view.count.toLocaleString('en')} placed`;
    if (group === 'Terrain' && view?.samples) return `${view.samples} × ${view.samples} samples`;
    if (group === 'Course' && view?.length) return `${Math.round(view.length)} m long`;
    return '';
  }
  const corners = $derived(((layer.parameters.points ?? layer.parameters.corners ?? []) as unknown[]).length);
</script>

<aside class="flex w-[356px] shrink-0 flex-col border-r border-line bg-leaf" aria-label="{layer.name}, sheet">
  <div class="flex items-center justify-between gap-2 px-[18px] pt-4 pb-2">
    <input
      class="min-w-0 flex-1 truncate border-0 bg-transparent p-0 font-serif text-[20px] font-semibold focus:ring-0"
      aria-label="name of the layer"
      maxlength="80"
      {disabled}
      value={layer.name}
      onchange={(e) => {
        const name = (e.target as HTMLInputElement).value.trim();
        if (name) void open.edit({ op: 'layer', id: layer.id, name });
        else (e.target as HTMLInputElement).value = layer.name;
      }}
      onkeydown={(e) => e.key === 'Enter' && (e.target as HTMLInputElement).blur()}
    />
    {#if 'seed' in layer.parameters}<Seed
        value={layer.parameters.seed as number}
        {disabled}
        onchange={(v) => onchange('seed', v)}
      />{/if}
  </div>
  <div class="flex-1 overflow-y-auto px-[18px] pb-5">
    {#if open.refusal}<p class="mb-2 rounded border border-clay px-2.5 py-1.5 text-clay" role="alert">
        {open.refusal}. The last good result stays.
      </p>{/if}
    {#if layer.kind === 'scatter'}
      <Sentence {open} {layer} {rows} {disabled} {oninput} {onchange} />
      {#each view?.notes ?? [] as note (note)}<p class="mt-2 text-clay">{note}</p>{/each}
    {:else if layer.kind === 'path'}
      <p class="font-serif text-[17px] leading-[1.6]">
        A path of {String(layer.parameters.surface)}, {Number(layer.parameters.width)} m wide, through {corners} points. Drag
        its points in the view; drag a mark between two to add one.
      </p>
    {:else if layer.kind === 'area'}
      <p class="font-serif text-[17px] leading-[1.6]">
        An area of {big(Math.round(view?.area ?? 0))} m² with {corners} corners. Drag its corners in the view; drag a mark
        between two to add one.
      </p>
    {:else if layer.kind === 'ground'}
      <p class="font-serif text-[17px] leading-[1.6]">
        {Number(layer.parameters.size).toLocaleString('en')} m of ground with about {Number(layer.parameters.relief)} m of
        relief{layer.parameters.basin ? ', a flat-bottomed basin' : ''}{layer.parameters.water
          ? `, and water at ${Number(layer.parameters.water_level)} m`
          : ''}.
      </p>
    {/if}
    {#if layer.kind === 'bake'}
      <BakeSheet {open} {layer} />
    {:else}
      {#each groups as g (g.group)}
        <section class="rule mt-3 pt-2">
          <div class="mb-1 flex items-baseline justify-between">
            <h3 class="text-[14px]">{g.group}</h3>
            <span class="text-[12px] text-soft" data-summary={g.group}>{summary(g.group)}</span>
          </div>
          {#each g.sections as s (s.title)}
            {#each s.rows as r (r.path)}
              <Field
                row={r}
                value={read(layer.parameters, r.path)}
                {disabled}
                oninput={(v) => oninput(r.path, v)}
                onchange={(v) => onchange(r.path, v)}
              />
            {/each}
          {/each}
        </section>
      {/each}
    {/if}
    {#if layer.kind === 'scatter'}
      <AssetShelf {open} {layer} onopen={(id) => push(`/scene/${open.id}/asset/${id}`)} />
    {/if}
    {#if layer.kind !== 'ground' && layer.kind !== 'bake' && open.canEdit}
      <div class="rule mt-4 pt-3">
        <button
          class="btn btn-clay"
          onclick={() => {
            void open.edit({ op: 'removeLayer', id: layer.id });
            open.selected = 'ground';
          }}><Trash size={14} /> Remove this layer</button
        >
      </div>
    {/if}
  </div>
</aside>
