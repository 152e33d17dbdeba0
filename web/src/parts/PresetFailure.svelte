<script lang="ts">
  /** Says that the presets could not be read, and tries again. */
  import { presets } from '../state/presets.svelte';
</script>

{#if presets.failure}
  <p class="text-clay" role="alert">
    The presets could not be read: {presets.failure}.
    <button class="btn" onclick={() => presets.load()}>Try again</button>
  </p>
{/if}
