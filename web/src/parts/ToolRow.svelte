<script lang="ts">
  /** The tools that the selected layer knows, as a row of words; one is in hand, or none. */
  import { Button, ButtonGroup } from 'flowbite-svelte';
  import type { Layer } from '../api/client';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import { placedOf, strokesOf, touchesOf } from '../layers/kinds';
  import { brush, PLACERS } from '../state/brush.svelte';
  import { chosen } from '../state/chosen.svelte';
  import { begin, hand } from '../state/hand.svelte';

  let { open, layer }: { open: SceneStore; layer: Layer } = $props();
  const brushing = $derived(PLACERS.some((b) => b.id === brush.inHand));

  interface Word {
    word: string;
    title: string;
    there: boolean;
    on: boolean;
    take: () => void;
  }
  const words: Word[] = $derived(
    [
      {
        word: 'choose',
        title: 'Choose placements, one or many, and change them together',
        there: Boolean(touchesOf(layer.kind) ?? placedOf(layer.kind)),
        on: chosen.on,
        take: () => (chosen.on = true),
      },
      {
        word: 'take up',
        title: 'Take up single placements: move, turn, change, take them out',
        there: Boolean(touchesOf(layer.kind)),
        on: hand.on,
        take: () => (hand.on = true),
      },
      {
        word: 'set down',
        title: 'Set things down one by one',
        there: Boolean(placedOf(layer.kind)),
        on: hand.on,
        take: () => begin(open.scene?.settings, layer),
      },
      {
        word: 'brush',
        title: 'Say by brush what stands where',
        there: Boolean(strokesOf(layer.kind)),
        on: brushing,
        take: () => (brush.inHand = 'set'),
      },
    ].filter((w) => w.there),
  );

  function flip({ on, take }: Word) {
    brush.inHand = '';
    hand.on = chosen.on = false;
    if (!on) take();
  }
</script>

{#if words.length}
  <ButtonGroup role="group" aria-label="tools">
    {#each words as w (w.word)}
      <Button
        color={w.on ? 'primary' : 'alternative'}
        size="xs"
        class="px-3 py-1.5 text-[12.5px] {w.on ? '' : 'bg-leaf/95'}"
        title={w.title}
        aria-pressed={w.on}
        onclick={() => flip(w)}>{w.word}</Button
      >
    {/each}
  </ButtonGroup>
{/if}
