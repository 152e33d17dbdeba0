<script lang="ts">
  /** A button that asks for a file, and gives each one that is chosen. */
  import { Button } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  let {
    accept,
    label,
    disabled = false,
    children,
    onfile,
  }: { accept: string; label: string; disabled?: boolean; children: Snippet; onfile: (file: File) => void } = $props();
  let input: HTMLInputElement;

  function choose() {
    const file = input.files?.[0];
    input.value = ''; // so that the same file can be chosen again
    if (file) onfile(file);
  }
</script>

<Button color="alternative" {disabled} onclick={() => input.click()}>{@render children()}</Button>
<input bind:this={input} type="file" class="hidden" {accept} aria-label={label} onchange={choose} />
