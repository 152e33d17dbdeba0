<script lang="ts">
  /** Brushes that say which assets of a layer stand where: one is taken in hand, and set by rulers. */
  import type { Snippet } from 'svelte';
  import { Button } from 'flowbite-svelte';
  import type { Layer } from '../api/client';
  import BrushButtons from './BrushButtons.svelte';
  import RuledSlider from '../controls/RuledSlider.svelte';
  import { strokesOf } from '../layers/registry';
  import { brush, BRUSH_ROWS, PLACERS } from '../state/brush.svelte';
  import type { SceneStore } from '../state/sceneStore.svelte';

  let {
    open,
    layer,
    title,
    children,
  }: {
    open: SceneStore;
    layer: Layer;
    title: string;
    children?: Snippet; // what else there is to it
  } = $props();
  const path = $derived(strokesOf(layer.kind)?.path ?? '');
  const count = $derived(((layer.parameters[path] ?? []) as unknown[]).length);
  const inHand = $derived(PLACERS.find((b) => b.id === brush.inHand));
</script>

<section class="rule mt-3 pt-2" aria-label={title.toLowerCase()}>
  <div class="mb-1.5 flex items-baseline justify-between">
    <h2 class="text-[14px]">{title}</h2>
    <span class="text-[12px] text-soft"
      >{count ? `${count} ${count === 1 ? 'stroke' : 'strokes'}` : 'no stroke yet'}</span
    >
  </div>
  <BrushButtons brushes={PLACERS} />
  {#if inHand}
    <div class="mt-1.5">
      <RuledSlider row={BRUSH_ROWS.radius} value={brush.radius} onchange={(v) => (brush.radius = v)} />
      {#if inHand.amount}
        <RuledSlider row={BRUSH_ROWS.share(inHand.amount)} value={brush.share} onchange={(v) => (brush.share = v)} />
      {/if}
      <RuledSlider row={BRUSH_ROWS.falloff} value={brush.falloff} onchange={(v) => (brush.falloff = v)} />
    </div>
  {/if}
  {@render children?.()}
  {#if count}
    <Button
      color="alternative"
      size="xs"
      class="mt-1.5"
      onclick={() => open.edit({ op: 'layer', id: layer.id, parameters: { [path]: [] } })}>Take all strokes away</Button
    >
  {/if}
</section>
