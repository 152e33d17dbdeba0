<script lang="ts">
  /** A button that asks for a file, or for several, and gives what is chosen. */
  import { Button } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  let {
    accept,
    label,
    disabled = false,
    children,
    onfile,
    onfiles,
  }: {
    accept: string;
    label: string;
    disabled?: boolean;
    children: Snippet;
    onfile?: (file: File) => void;
    onfiles?: (files: File[]) => void; // several may be chosen at once
  } = $props();
  let input: HTMLInputElement;

  function choose() {
    const files = [...(input.files ?? [])];
    input.value = ''; // so that the same file can be chosen again
    if (files[0]) onfile?.(files[0]);
    if (files.length) onfiles?.(files);
  }
</script>

<Button color="alternative" {disabled} onclick={() => input.click()}>{@render children()}</Button>
<input
  bind:this={input}
  type="file"
  class="hidden"
  multiple={Boolean(onfiles)}
  {accept}
  aria-label={label}
  onchange={choose}
/>
