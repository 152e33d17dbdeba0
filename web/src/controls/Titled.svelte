<script lang="ts">
  /** What a number is called; where it can be tried at several values, a click begins that. */
  import { trialsOffered } from '../state/trials.svelte';
  let { path, label, help = '' }: { path: string; label: string; help?: string } = $props();
  const offered = trialsOffered();
  const begin = $derived(offered?.(path));
</script>

{#if begin}
  <button
    type="button"
    class="max-w-[calc(100%-0.9rem)] min-h-6 min-w-6 cursor-pointer text-left leading-tight decoration-moss decoration-dotted underline-offset-2 hover:underline focus-visible:underline"
    title="{help ? `${help} ` : ''}Click to try several values side by side."
    aria-label="try {label}"
    onclick={begin}>{label}</button
  >
{:else}
  <span class="leading-tight" title={help || undefined}>{label}</span>
{/if}
