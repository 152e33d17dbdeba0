<script lang="ts">
  /** The assets of the scene: open one on the bench, or make a new one. */
  import type { Layer } from '../api/client';
  import { app } from '../state/app.svelte';
  import type { OpenScene } from '../state/scene.svelte';
  import Stamp from './Stamp.svelte';
  let { open, layer, onopen }: { open: OpenScene; layer: Layer; onopen: (id: string) => void } = $props();
  const mine = $derived(new Set((layer.parameters.mix as { asset: string }[]).map((m) => m.asset)));
  const assets = $derived(
    [...(open.scene?.assets ?? [])].sort((a, b) => Number(mine.has(b.id)) - Number(mine.has(a.id))),
  );

  async function make(kind: string, title: string) {
    const scene = await open.edit({
      op: 'addAsset',
      kind,
      name: `New ${title.toLowerCase()}`,
      parameters: {},
      seeds: [1, 2, 3],
    });
    if (!scene?.created_id) return;
    const mix = [
      ...(layer.parameters.mix as { asset: string; weight: number }[]),
      { asset: scene.created_id, weight: 1 },
    ];
    await open.edit({ op: 'layer', id: layer.id, parameters: { mix } });
    onopen(scene.created_id);
  }
</script>

<section class="rule mt-3 pt-2">
  <h3 class="mb-1 text-[14px]">Make on the bench</h3>
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
          <span class="text-[11.5px] text-soft">{a.seeds.length} {a.seeds.length === 1 ? 'seed' : 'seeds'}</span>
        </button>
      </li>
    {/each}
  </ul>
  {#if open.canEdit}
    <div class="mt-1.5 flex gap-2">
      {#each app.assets as kind (kind.name)}<button class="btn" onclick={() => make(kind.name, kind.title)}
          >New {kind.title.toLowerCase()}</button
        >{/each}
    </div>
  {/if}
</section>
