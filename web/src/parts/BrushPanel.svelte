<script lang="ts">
  /** Brushes that shape the ground: one is taken in hand, and set by rulers. */
  import { Button } from 'flowbite-svelte';
  import RuledSlider from '../controls/RuledSlider.svelte';
  import { brush, BRUSHES, BRUSH_ROWS } from '../state/brush.svelte';

  let { strokes, onclear }: { strokes: number; onclear: () => void } = $props();
  const chosen = $derived(BRUSHES.find((b) => b.id === brush.inHand));
</script>

<section class="rule mt-3 pt-2" aria-label="shape by brush">
  <div class="mb-1.5 flex items-baseline justify-between">
    <h2 class="text-[14px]">Shape by brush</h2>
    <span class="text-[12px] text-soft">
      {strokes ? `${strokes} ${strokes === 1 ? 'stroke' : 'strokes'}` : 'no stroke yet'}
    </span>
  </div>
  <div class="grid grid-cols-3 gap-1.5">
    {#each BRUSHES as b (b.id)}
      <Button
        color={brush.inHand === b.id ? 'primary' : 'alternative'}
        size="xs"
        aria-pressed={brush.inHand === b.id}
        onclick={() => (brush.inHand = brush.inHand === b.id ? '' : b.id)}>{b.title}</Button
      >
    {/each}
  </div>
  {#if chosen}
    <div class="mt-1.5">
      <RuledSlider row={BRUSH_ROWS.radius} value={brush.radius} onchange={(v) => (brush.radius = v)} />
      {#if chosen.amount}
        <RuledSlider row={BRUSH_ROWS.amount(chosen.amount)} value={brush.amount} onchange={(v) => (brush.amount = v)} />
      {/if}
      <RuledSlider row={BRUSH_ROWS.strength} value={brush.strength} onchange={(v) => (brush.strength = v)} />
      <RuledSlider row={BRUSH_ROWS.falloff} value={brush.falloff} onchange={(v) => (brush.falloff = v)} />
    </div>
  {/if}
  {#if strokes}
    <Button color="alternative" size="xs" class="mt-1.5" onclick={onclear}>Take all strokes away</Button>
  {/if}
</section>
