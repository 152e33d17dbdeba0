<script lang="ts">
  /** Recipes to begin with, as pictures. */
  import { Button, Modal } from 'flowbite-svelte';
  import type { Preset } from '../api/client';
  import { app } from '../state/app.svelte';
  import { createQuery } from '@tanstack/svelte-query';
  import { presetsQuery } from '../state/queries';
  import PictureChoice from './PictureChoice.svelte';
  import PresetFailure from './PresetFailure.svelte';

  let {
    open = $bindable(),
    kind = '',
    title,
    onchoose,
  }: { open: boolean; kind?: string; title: string; onchoose: (preset: Preset) => void } = $props();
  const presets = createQuery(() => presetsQuery(open));
  let shown = $state('');
  const kinds = $derived(app.assets.filter((k) => (presets.data ?? []).some((p) => p.kind === k.name)));
  const many = (name: string) => (presets.data ?? []).filter((p) => p.kind === name).length;
  const first = $derived(kind || shown || (kinds.toSorted((a, b) => many(b.name) - many(a.name))[0]?.name ?? ''));
  const chosen = $derived((presets.data ?? []).filter((p) => p.kind === first));
</script>

<Modal {title} bind:open size="xl" class="max-w-[1120px]! bg-leaf text-ink">
  <PresetFailure query={presets} />
  {#if !kind}
    <div class="flex flex-wrap gap-1.5" role="group" aria-label="kind">
      {#each kinds as k (k.name)}
        <Button
          pill
          color={first === k.name ? 'primary' : 'alternative'}
          aria-pressed={first === k.name}
          onclick={() => (shown = k.name)}>{k.title}</Button
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
