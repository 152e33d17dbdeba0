<script lang="ts">
  /** Recipes to begin with, as pictures. */
  import { Modal } from 'flowbite-svelte';
  import type { Preset } from '../api/client';
  import { app } from '../state/app.svelte';
  import { presets } from '../state/presets.svelte';
  import PictureChoice from './PictureChoice.svelte';
  import PresetFailure from './PresetFailure.svelte';

  let {
    open = $bindable(),
    kind = '',
    title,
    onchoose,
  }: { open: boolean; kind?: string; title: string; onchoose: (preset: Preset) => void } = $props();
  let shown = $state('');
  const kinds = $derived(app.assets.filter((k) => presets.list.some((p) => p.kind === k.name)));
  const chosen = $derived(presets.list.filter((p) => p.kind === (kind || shown || 'tree')));
  $effect(() => {
    if (open) void presets.load();
  });
</script>

<Modal {title} bind:open size="xl" class="max-w-[1120px]! bg-leaf text-ink">
  <PresetFailure />
  {#if !kind}
    <div class="flex flex-wrap gap-1.5" role="group" aria-label="kind">
      {#each kinds as k (k.name)}
        <button
          class="rounded-full border px-3 py-1 text-[12.5px] {(shown || 'tree') === k.name
            ? 'border-moss bg-moss text-on-moss'
            : 'border-line bg-plate'}"
          aria-pressed={(shown || 'tree') === k.name}
          onclick={() => (shown = k.name)}>{k.title}</button
        >
      {/each}
    </div>
  {/if}
  <div class="grid max-h-[60vh] grid-cols-5 gap-2.5 overflow-y-auto pr-1">
    {#each chosen as p (p.name)}
      <PictureChoice
        picture={p.picture}
        title={p.title}
        label="begin with {p.title}"
        onclick={() => {
          open = false;
          onchoose(p);
        }}
      />
    {/each}
  </div>
</Modal>
