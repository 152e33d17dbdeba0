<script lang="ts">
  /** A value inside a sentence; click opens its control, right there: below its line, as wide as the sentence. */
  import type { Snippet } from 'svelte';
  let {
    text,
    tone = 'moss',
    missing = false,
    children,
    label,
  }: {
    text: string;
    tone?: 'moss' | 'slate' | 'ochre';
    missing?: boolean;
    label: string;
    children: Snippet;
  } = $props();
  let open = $state(false);
  let root = $state<HTMLElement>();
  const tint = $derived(
    missing
      ? 'border-clay text-clay line-through bg-transparent'
      : {
          moss: 'bg-moss-tint border-moss',
          slate: 'bg-slate-tint border-slate',
          ochre: 'bg-ochre-tint border-[var(--ochre-mark)]',
        }[tone],
  );
</script>

<svelte:window
  onkeydown={(e) => {
    if (open && e.key === 'Escape' && !root?.contains(e.target as Node)) open = false;
  }}
  onpointerdown={(e) => {
    if (open && !root?.contains(e.target as Node)) open = false;
  }}
/>

<span class="inline-block max-w-[calc(100%-0.6em)]" bind:this={root}>
  <button
    class="inline cursor-pointer rounded-t-[3px] border-b-[1.5px] px-1.5 text-left leading-[1.25] transition-colors hover:brightness-95 {tint}"
    aria-expanded={open}
    aria-label="{label}: {text}"
    onclick={() => (open = !open)}>{text}</button
  >{#if open}
    <span
      class="absolute inset-x-0 z-30 mt-1.5 block rounded-md border border-line bg-leaf p-3 font-sans text-[13px] shadow-lg"
      role="dialog"
      aria-label={label}
      tabindex="-1"
      onkeydown={(e) => {
        if (e.key === 'Escape') {
          open = false;
          root?.querySelector('button')?.focus();
          e.stopPropagation();
        }
      }}
    >
      {@render children()}
    </span>
  {/if}</span
>
