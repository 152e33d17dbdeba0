<script lang="ts">
  /** Where an asset's files came from, on what terms, and whether there are newer ones. */
  import { Button, Spinner } from 'flowbite-svelte';
  import { createQuery } from '@tanstack/svelte-query';
  import { said, type Asset, type Origin } from '../api/client';
  import { app } from '../state/app.svelte';
  import { byItem, filesOf, replaced, takeItem } from '../state/library';
  import { originsQuery } from '../state/queries';
  import type { SceneStore } from '../state/sceneStore.svelte';

  let { scene, asset, disabled }: { scene: SceneStore; asset: Asset; disabled: boolean } = $props();
  const files = $derived(filesOf(asset));
  const all = createQuery(() => originsQuery(scene.id, files));
  const mine = $derived((all.data ?? []).filter((o) => files.includes(o.file)));
  let taking = $state('');

  async function renew(origin: Origin) {
    taking = origin.item;
    try {
      const taken = await takeItem(scene.id, origin.item);
      // each of its files that the asset uses, one after the other on what the last made of it
      let now = asset;
      for (const old of mine.filter((o) => o.item === origin.item && o.version === origin.version)) {
        const change = replaced(now, old, taken);
        if (!change) throw new Error(taken.meshes[0]?.error || 'the new version holds nothing in its place');
        now = {
          ...now,
          ...('images' in change ? change : { parameters: { ...now.parameters, ...change.parameters } }),
        };
      }
      await scene.edit({
        op: 'asset',
        id: asset.id,
        parameters: { source: now.parameters.source },
        images: now.images,
      });
    } catch (error) {
      app.tell(`${origin.title} could not be renewed: ${said(error)}`, 'bad');
    } finally {
      taking = '';
    }
  }
</script>

{#if mine.length}
  <section class="rule mt-2.5 pt-2 text-[12.5px]">
    <h2 class="mb-1 text-[14px]">Where it is from</h2>
    {#each byItem(mine) as origin (origin.file)}
      <p class="mb-1">
        <b class="font-medium">{origin.title}</b> by {origin.by}, <b class="font-medium">{origin.licence}</b>
        <span class="text-soft">· {origin.library}, version {origin.version}</span>
        {#if origin.newer}
          <span class="mt-1 flex items-center gap-2 rounded bg-ochre-tint px-2 py-1">
            <span class="flex-1">Version {origin.newer} is there.</span>
            {#if taking === origin.item}<Spinner size="4" />{/if}
            {#if !disabled}
              <Button color="alternative" size="xs" disabled={Boolean(taking)} onclick={() => renew(origin)}
                >Take it</Button
              >
            {/if}
          </span>
        {/if}
      </p>
    {/each}
  </section>
{/if}
