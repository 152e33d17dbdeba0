<script lang="ts">
  /** Ways to begin a layer, as pictures. */
  import { Modal, Spinner } from 'flowbite-svelte';
  import { createQuery } from '@tanstack/svelte-query';
  import type { Way } from '../api/client';
  import { waysQuery } from '../state/queries';
  import PictureChoice from './PictureChoice.svelte';
  import PresetFailure from './PresetFailure.svelte';

  let {
    open = $bindable(),
    kind,
    title,
    onchoose,
  }: { open: boolean; kind: string; title: string; onchoose: (way: Way) => void } = $props();
  const ways = createQuery(() => waysQuery(kind, open));
</script>

<Modal {title} bind:open size="lg" class="bg-leaf text-ink">
  <PresetFailure query={ways} />
  {#if ways.isPending}<p class="flex items-center gap-2 text-soft" role="status"><Spinner size="4" /> Drawing…</p>{/if}
  <div class="grid grid-cols-3 gap-3">
    {#each ways.data ?? [] as w (w.name)}
      <div>
        <PictureChoice
          picture={w.picture}
          title={w.title}
          label="begin with {w.title}"
          onclick={() => {
            open = false;
            onchoose(w);
          }}
        />
        <p class="mt-1 px-1 text-[12px] text-soft">{w.text}</p>
      </div>
    {/each}
  </div>
</Modal>
