<script lang="ts">
  /** The hand that sets things down: the four that act with the wheel, each with its pin, and how far a notch goes. */
  import { Button, Checkbox, ToolbarButton } from 'flowbite-svelte';
  import Pin from '@lucide/svelte/icons/pin';
  import PinOff from '@lucide/svelte/icons/pin-off';
  import type { Layer } from '../api/client';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import RuledSlider from '../controls/RuledSlider.svelte';
  import { begin, hand, HAND_ROWS, type Drawn } from '../state/hand.svelte';

  let { open, layer }: { open: SceneStore; layer: Layer } = $props();
  let steps = $state(false);
</script>

{#snippet pin(what: Drawn, name: string)}
  <ToolbarButton
    class="size-7 shrink-0 {hand.pins[what] ? 'text-moss' : 'text-soft'}"
    aria-label="pin the {name}"
    aria-pressed={hand.pins[what]}
    title={hand.pins[what] ? `The next one has the same ${name}` : `The next one has a ${name} of its own`}
    onclick={() => (hand.pins[what] = !hand.pins[what])}
    >{#if hand.pins[what]}<Pin size={16} />{:else}<PinOff size={16} />{/if}</ToolbarButton
  >
{/snippet}

<section class="rule mt-3 pt-2" aria-label="by hand">
  <div class="flex items-center justify-between gap-2">
    <h2 class="text-[14px]">In hand</h2>
    <Button
      color={hand.on ? 'primary' : 'alternative'}
      size="xs"
      aria-pressed={hand.on}
      onclick={() => (hand.on ? (hand.on = false) : begin(open.scene?.settings, layer))}>Set down</Button
    >
  </div>
  {#if hand.on}
    <div class="mt-1.5 grid grid-cols-[1fr_auto] items-center gap-x-1">
      <RuledSlider row={HAND_ROWS.turn} value={hand.turn} onchange={(v) => (hand.turn = v)} />
      {@render pin('turn', 'turn')}
      <RuledSlider row={HAND_ROWS.size} value={100 * hand.size} onchange={(v) => (hand.size = v / 100)} />
      {@render pin('size', 'size')}
      <RuledSlider row={HAND_ROWS.lift} value={hand.lift} onchange={(v) => (hand.lift = v)} />
      {@render pin('lift', 'lift')}
      <span>Which of its seeds</span>
      {@render pin('which', 'seed')}
    </div>
    <Checkbox class="mt-1" checked={hand.square} onchange={(e) => (hand.square = e.currentTarget.checked)}
      >Square to what it stands on</Checkbox
    >
    <Button color="alternative" size="xs" class="mt-1.5" aria-expanded={steps} onclick={() => (steps = !steps)}
      >How far a notch goes…</Button
    >
    {#if steps}
      <div class="mt-1">
        <RuledSlider row={HAND_ROWS.steps.turn} value={hand.steps.turn} onchange={(v) => (hand.steps.turn = v)} />
        <RuledSlider row={HAND_ROWS.steps.size} value={hand.steps.size} onchange={(v) => (hand.steps.size = v)} />
        <RuledSlider row={HAND_ROWS.steps.lift} value={hand.steps.lift} onchange={(v) => (hand.steps.lift = v)} />
      </div>
    {/if}
  {/if}
</section>
