<script lang="ts">
  /** Brushes to take in hand: one at most; pressed again, it is laid down. */
  import { Button } from 'flowbite-svelte';
  import { brush } from '../state/brush.svelte';

  let { brushes }: { brushes: readonly { id: string; title: string }[] } = $props();
</script>

<div class="grid grid-cols-3 gap-1.5">
  {#each brushes as b (b.id)}
    <Button
      color={brush.inHand === b.id ? 'primary' : 'alternative'}
      size="xs"
      aria-pressed={brush.inHand === b.id}
      onclick={() => (brush.inHand = brush.inHand === b.id ? '' : b.id)}>{b.title}</Button
    >
  {/each}
</div>
