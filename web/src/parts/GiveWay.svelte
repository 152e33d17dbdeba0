<script lang="ts">
  /** Where the scene is too heavy: by how much, and what could give way, each measured and one click away. */
  import { Alert, Button, Spinner } from 'flowbite-svelte';
  import { api, said, take, type Gains, type LayerGame } from '../api/client';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import { gainWords, OVER_NAMES } from '../state/compare';
  import { big, size } from '../state/values';

  let { open }: { open: SceneStore } = $props();
  let found = $state.raw<Gains | null>(null);
  let failed = $state('');
  const evaluation = $derived(open.evaluation);
  let asked = 0;

  $effect(() => {
    if (!evaluation || open.pending) return;
    const mine = ++asked;
    const [x, y, z] = open.eye ?? [0, 2, 0];
    failed = '';
    take<Gains>(
      api.GET('/api/scenes/{scene_id}/gains', { params: { path: { scene_id: open.id }, query: { x, y, z } } }),
    ).then(
      (made) => mine === asked && (found = made),
      (error: unknown) => mine === asked && (failed = said(error)),
    );
  });

  function thin({ layer, share }: Gains['gains'][number]) {
    const game = open.layer(layer)?.game;
    if (!game) return;
    const next = { ...$state.snapshot(game), [found?.field ?? '']: share } as LayerGame;
    void open.edit({ op: 'layer', id: layer, game: next });
  }
</script>

<section class="mt-2" aria-label="what could give way">
  <h3 class="text-[13px] text-clay">
    {#if found}Over by {Object.entries(found.over)
        .map(([what, by]) => `${what === 'bytes' ? size(by) : big(by)} ${OVER_NAMES[what] ?? what}`)
        .join(', ')}{/if}
  </h3>
  {#if failed}<Alert role="alert">{failed}</Alert>
  {:else if !found}<p class="flex items-center gap-2 text-soft" role="status">
      <Spinner size="4" /> Measuring what could give way…
    </p>
  {:else if !found.gains.length}<p class="text-[12.5px] text-soft">
      Fewer placements would not help: choose farther levels, fewer materials or another profile.
    </p>
  {:else}
    <ul>
      {#each found.gains as g (g.layer)}
        <li class="flex items-center justify-between gap-2 py-1">
          <span class="min-w-0 text-[12.5px]"
            >Thin <b class="font-serif">{g.name}</b> to {g.share} %
            <span class="block text-soft tabular-nums">{gainWords(g.saves)}</span></span
          >
          {#if open.canEdit}<Button
              color="alternative"
              size="xs"
              aria-label="thin {g.name} to {g.share} %"
              disabled={open.pending > 0}
              onclick={() => thin(g)}>Thin it</Button
            >{/if}
        </li>
      {/each}
    </ul>
  {/if}
</section>
