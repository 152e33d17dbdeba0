<script lang="ts">
  /** The selected layer: name, seed, rule sentence, exact numbers. */
  import { Alert } from 'flowbite-svelte';
  import { push } from 'svelte-spa-router';
  import type { Layer, Values } from '../api/client';
  import Field from '../controls/Field.svelte';
  import Name from '../controls/Name.svelte';
  import Seed from '../controls/Seed.svelte';
  import { fixed, mixOf, rowsOf, touchesOf, uiOf } from '../layers/registry';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import { offerTrials } from '../state/trials.svelte';
  import { matters } from '../state/matters';
  import { grouped, read, standing } from '../state/values';
  import AssetShelf from './AssetShelf.svelte';
  import LayerActions from './LayerActions.svelte';
  import LayerInGame from './LayerInGame.svelte';
  import Touched from './Touched.svelte';
  import NotesForGame from './NotesForGame.svelte';

  let { open, layer, ondraw }: { open: SceneStore; layer: Layer; ondraw: (what: string) => void } = $props();
  const rows = $derived(rowsOf(layer.kind));
  const ui = $derived(uiOf(layer.kind));
  const view = $derived(open.view(layer.id));
  const disabled = $derived(!open.canEdit || layer.locked);
  const APART = [
    'mix',
    'reference',
    'seed',
    'file',
    'heights',
    'classes',
    'conditions',
    'rings',
    'strokes',
    'placed',
    'touches',
  ]; // have a place of their own in the sheet
  const BRUSH = 'Brush'; // a group that stands beside the brush
  const groups = $derived(
    grouped(
      rows.filter((r) => !APART.includes(r.control) && r.group && r.group !== BRUSH && matters(r, layer.parameters)),
    ),
  );
  const seeded = $derived(rows.some((r) => r.control === 'seed' && matters(r, layer.parameters)));
  let draft: Values = {};

  function oninput(path: string, value: unknown) {
    draft = { ...draft, [path]: value };
    void open.draft(layer.id, draft);
  }

  function onchange(path: string, value: unknown) {
    draft = {};
    void open.edit({ op: 'layer', id: layer.id, parameters: { [path]: value } });
  }

  /** What the numbers of a group come to, told beside the first that has to do with it. */
  function summary(group: string): string {
    if (group === 'How close' && view?.placements) return `${standing(view.placements)} placed`;
    if (group === 'Terrain' && view?.surface) return `${view.surface.samples} × ${view.surface.samples} samples`;
    return '';
  }
  offerTrials((path) => {
    const own = rows.some((r) => r.path === path.split('#')[0]); // else it is a brush's, or the game's
    return own && !disabled && !ui.sheet ? () => open.try(path) : undefined;
  });
  const part = $derived({ open, layer, rows, disabled, oninput, onchange, ondraw });
</script>

<aside class="flex w-(--sheet) shrink-0 flex-col border-r border-line bg-leaf" aria-label="{layer.name}, sheet">
  <div class="flex items-center justify-between gap-2 px-[18px] pt-4 pb-2">
    <Name
      class="flex-1 text-[20px]"
      label="name of the layer"
      {disabled}
      value={layer.name}
      onchange={(name) => open.edit({ op: 'layer', id: layer.id, name })}
    />
    {#if seeded}<Seed
        path="seed"
        value={layer.parameters.seed as number}
        {disabled}
        onchange={(v) => onchange('seed', v)}
      />{/if}
  </div>
  <div class="flex-1 overflow-y-auto px-[18px] pb-5">
    {#if open.refusal}<Alert class="mb-2" role="alert">
        {open.refusal}. The last good result stays.
      </Alert>{/if}
    {#if layer.locked}<p class="mb-2 text-[12.5px] text-soft" role="status">
        Locked: it stays as it is until it is unlocked.
      </p>{/if}
    {#if ui.text}<ui.text {...part} />{/if}
    {#each view?.findings ?? [] as finding (finding.text)}<p class="mt-2 text-clay">{finding.text}</p>{/each}
    {#if ui.sheet}
      <ui.sheet {...part} />
    {:else}
      {#each groups as g (g.group)}
        <section class="rule mt-3 pt-2">
          <div class="mb-1 flex items-baseline justify-between">
            <h2 class="text-[14px]">{g.group}</h2>
            <span class="text-[12px] text-soft" data-summary={g.group}>{summary(g.group)}</span>
          </div>
          {#each g.sections as s (s.title)}
            {#each s.rows.toSorted((a, b) => Number(a.control === 'points') - Number(b.control === 'points')) as r (r.path)}
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
    {#if mixOf(layer.kind)}
      <AssetShelf {open} {layer} onopen={(id) => push(`/scene/${open.id}/asset/${id}`)} />
    {/if}
    {#if touchesOf(layer.kind)}<Touched {open} {layer} {disabled} />{/if}
    {#if mixOf(layer.kind)}<LayerInGame {open} {layer} {disabled} />{/if}
    {#if !fixed(layer.kind)}
      {#key layer.id}
        <NotesForGame
          notes={layer.notes}
          of={layer.name}
          {disabled}
          onchange={(notes) => open.edit({ op: 'layer', id: layer.id, notes })}
        />
      {/key}
    {/if}
    {#if !fixed(layer.kind)}<LayerActions {open} {layer} />{/if}
  </div>
</aside>
