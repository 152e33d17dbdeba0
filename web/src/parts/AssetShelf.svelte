<script lang="ts">
  /** The assets of the scene: open one on the bench, or make a new one. */
  import { Button } from 'flowbite-svelte';
  import type { Layer } from '../api/client';
  import { app } from '../state/app.svelte';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import Shelf from './Shelf.svelte';
  import Stamp from './Stamp.svelte';
  let { open, layer, onopen }: { open: SceneStore; layer: Layer; onopen: (id: string) => void } = $props();
  const mine = $derived(new Set((layer.parameters.mix as { asset: string }[]).map((m) => m.asset)));
  const assets = $derived(
    [...(open.scene?.assets ?? [])].sort((a, b) => Number(mine.has(b.id)) - Number(mine.has(a.id))),
  );

  let shelfOpen = $state(false);

  /** What is made from this layer's sheet joins its mix. */
  async function join(id: string) {
    const mix = [...(layer.parameters.mix as { asset: string; weight: number }[]), { asset: id, weight: 1 }];
    await open.edit({ op: 'layer', id: layer.id, parameters: { mix } });
  }
</script>

<section class="rule mt-3 pt-2">
  <h2 class="mb-1 text-[14px]">Make on the bench</h2>
  <ul>
    {#each assets as a (a.id)}
      <li>
        <button
          class="flex w-full items-center gap-2.5 rounded px-1.5 py-1 text-left hover:bg-moss-tint"
          onclick={() => onopen(a.id)}
        >
          <Stamp kind={a.kind} size={28} /><span class="flex-1 truncate {mine.has(a.id) ? 'font-medium' : 'text-soft'}"
            >{a.name}</span
          >
          {#if app.seeded(a.kind)}
            <span class="text-[11.5px] text-soft">{a.seeds.length} {a.seeds.length === 1 ? 'seed' : 'seeds'}</span>
          {/if}
        </button>
      </li>
    {/each}
  </ul>
  <Button color="alternative" class="mt-1.5" onclick={() => (shelfOpen = true)}
    >{open.canEdit ? 'Shelf and new assets…' : 'Shelf…'}</Button
  >
</section>
<Shelf bind:open={shelfOpen} scene={open} {onopen} oncreated={join} />
