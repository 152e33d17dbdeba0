<script lang="ts">
  /** What the levels of the scene would be called by a pattern: the first ten, or why not. */
  import { Button } from 'flowbite-svelte';
  import { api, said, take, type Names } from '../api/client';
  import type { SceneStore } from '../state/sceneStore.svelte';

  let { open, pattern }: { open: SceneStore; pattern: string } = $props();
  let found = $state.raw<Names | null>(null);
  let failed = $state('');
  let whole = $state(false);
  let asked = 0;

  $effect(() => {
    if (!open.evaluation || open.pending) return;
    const mine = ++asked;
    const params = { path: { scene_id: open.id }, query: { pattern } };
    take<Names>(api.GET('/api/scenes/{scene_id}/names', { params })).then(
      (made) => mine === asked && ([found, failed] = [made, '']),
      (error: unknown) => mine === asked && ([found, failed] = [null, said(error)]),
    );
  });
</script>

<div class="mb-1 ml-[118px] text-[12px]" role="group" aria-label="names of levels">
  {#if failed}<p class="text-clay" role="alert">{failed}</p>
  {:else if found?.total}
    <ul class="text-soft">
      {#each whole ? found.names : found.names.slice(0, 2) as name (name)}<li class="truncate">{name}</li>{/each}
    </ul>
    {#if found.total > 2}<Button
        color="alternative"
        size="xs"
        class="mt-0.5"
        aria-expanded={whole}
        onclick={() => (whole = !whole)}>{whole ? 'Fewer' : `The first ${found.names.length} of ${found.total}`}</Button
      >{/if}
  {/if}
</div>
