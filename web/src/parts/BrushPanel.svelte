<script lang="ts">
  /** Brushes that shape the ground or paint its classes: one is taken in hand, and set by rulers. */
  import { Button } from 'flowbite-svelte';
  import type { LayerView } from '../api/client';
  import BrushButtons from './BrushButtons.svelte';
  import RuledSlider from '../controls/RuledSlider.svelte';
  import { brush, BRUSHES, BRUSH_ROWS } from '../state/brush.svelte';
  import { swatchOf, type GroundClass } from '../state/classes';

  let {
    strokes,
    painted,
    classes,
    surface,
    onclear,
  }: {
    strokes: number | null; // none where it cannot be shaped
    painted: number;
    classes: GroundClass[];
    surface: LayerView['surface'];
    onclear: (path: 'strokes' | 'painted') => void;
  } = $props();
  const shaping = $derived(BRUSHES.find((b) => b.id === brush.inHand));
  const painting = $derived(brush.inHand === 'paint');
  const many = (n: number) => (n ? `${n} ${n === 1 ? 'stroke' : 'strokes'}` : 'no stroke yet');

  function paint(key: string) {
    const again = painting && brush.paint === key;
    brush.paint = key;
    brush.inHand = again ? '' : 'paint';
  }
</script>

{#snippet rulers(amount: string)}
  <div class="mt-1.5">
    <RuledSlider row={BRUSH_ROWS.radius} value={brush.radius} onchange={(v) => (brush.radius = v)} />
    {#if amount}
      <RuledSlider row={BRUSH_ROWS.amount(amount)} value={brush.amount} onchange={(v) => (brush.amount = v)} />
    {/if}
    <RuledSlider row={BRUSH_ROWS.strength} value={brush.strength} onchange={(v) => (brush.strength = v)} />
    <RuledSlider row={BRUSH_ROWS.falloff} value={brush.falloff} onchange={(v) => (brush.falloff = v)} />
  </div>
{/snippet}

{#if strokes !== null}
  <section class="rule mt-3 pt-2" aria-label="shape by brush">
    <div class="mb-1.5 flex items-baseline justify-between">
      <h2 class="text-[14px]">Shape by brush</h2>
      <span class="text-[12px] text-soft">{many(strokes)}</span>
    </div>
    <BrushButtons brushes={BRUSHES} />
    {#if shaping}{@render rulers(shaping.amount)}{/if}
    {#if strokes}
      <Button color="alternative" size="xs" class="mt-1.5" onclick={() => onclear('strokes')}
        >Take all strokes away</Button
      >
    {/if}
  </section>
{/if}
<section class="rule mt-3 pt-2" aria-label="paint by brush">
  <div class="mb-1.5 flex items-baseline justify-between">
    <h2 class="text-[14px]">Paint by brush</h2>
    <span class="text-[12px] text-soft">{many(painted)}</span>
  </div>
  <div class="grid grid-cols-3 gap-1.5">
    {#each [...classes, null] as c (c?.key ?? '')}
      {@const on = painting && brush.paint === (c?.key ?? '')}
      <Button
        color={on ? 'primary' : 'alternative'}
        size="xs"
        class="justify-start gap-1.5 px-1.5"
        aria-pressed={on}
        title={c ? undefined : 'Wipes off what is painted: the rules show again.'}
        onclick={() => paint(c?.key ?? '')}
      >
        {#if c}<span class="size-4 shrink-0 rounded border border-line" style={swatchOf(c, surface)}></span>{/if}
        <span class="truncate">{c?.name ?? 'Wipe off'}</span>
      </Button>
    {/each}
  </div>
  {#if painting}{@render rulers('')}{/if}
  {#if painted}
    <Button color="alternative" size="xs" class="mt-1.5" onclick={() => onclear('painted')}>Take all paint away</Button>
  {/if}
</section>
