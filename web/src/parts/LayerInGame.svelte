<script lang="ts">
  /** What a layer is in the game: the share kept at each tier, its shadow, its colliders and their flags. */
  import { Select } from 'flowbite-svelte';
  import type { Layer, LayerGame, Shadow } from '../api/client';
  import Field from '../controls/Field.svelte';
  import { app } from '../state/app.svelte';
  import { offerTrials } from '../state/trials.svelte';
  import type { SceneStore } from '../state/sceneStore.svelte';

  let { open, layer, disabled }: { open: SceneStore; layer: Layer; disabled: boolean } = $props();
  let opened = $state(false);
  offerTrials(() => undefined); // they are the game's
  const SHADOWS: { value: Shadow; name: string }[] = [
    { value: 'casts', name: 'Throws shadows' },
    { value: 'none', name: 'Throws none' },
    { value: 'only', name: 'Only its shadow is seen' },
  ];
  const TIERS = { phone: 'phone', console: 'console', high_end: 'high-end' } as const;
  const game = $derived(layer.game);
  const summary = $derived(
    [
      ...Object.entries(TIERS)
        .filter(([key]) => game[key as keyof typeof TIERS] < 100)
        .map(([key, name]) => `${game[key as keyof typeof TIERS]} % on ${name}`),
      layer.shadow === 'casts' ? '' : layer.shadow === 'none' ? 'no shadow' : 'only its shadow',
      game.colliders === 'none' ? 'no colliders' : '',
    ]
      .filter(Boolean)
      .join(', ') || 'as its assets are',
  );

  function change(path: string, value: unknown) {
    const next = { ...$state.snapshot(game), [path]: value } as LayerGame;
    void open.edit({ op: 'layer', id: layer.id, game: next });
  }
</script>

<section class="rule mt-3 pt-2" aria-label="in the game">
  <button
    class="mb-1 flex min-h-6 w-full items-baseline justify-between gap-3 text-left"
    aria-expanded={opened}
    onclick={() => (opened = !opened)}
  >
    <h2 class="text-[14px]">In the game</h2>
    <span class="truncate text-[12px] text-soft">{summary}</span>
  </button>
  {#if opened}
    <label class="mb-1 grid grid-cols-[108px_1fr] items-center gap-2.5">
      <span>Shadow</span>
      <Select
        class="w-full"
        placeholder=""
        {disabled}
        items={SHADOWS}
        value={layer.shadow}
        onchange={(e) => open.edit({ op: 'layer', id: layer.id, shadow: e.currentTarget.value as Shadow })}
      />
    </label>
    {#each app.settings.game ?? [] as r (r.path)}
      <Field row={r} value={game[r.path as keyof LayerGame]} {disabled} onchange={(v) => change(r.path, v)} />
    {/each}
  {/if}
</section>
