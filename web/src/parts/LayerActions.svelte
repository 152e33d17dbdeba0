<script lang="ts">
  /** What is done with a layer as a whole: doubled, locked, seen alone, removed. */
  import Copy from '@lucide/svelte/icons/copy';
  import CopyPlus from '@lucide/svelte/icons/copy-plus';
  import Lock from '@lucide/svelte/icons/lock';
  import LockOpen from '@lucide/svelte/icons/lock-open';
  import Trash from '@lucide/svelte/icons/trash-2';
  import { Button } from 'flowbite-svelte';
  import Box from '@lucide/svelte/icons/box';
  import RulerDimensionLine from '@lucide/svelte/icons/ruler-dimension-line';
  import Unlink from '@lucide/svelte/icons/unlink';
  import { touchesOf } from '../layers/kinds';
  import { push } from 'svelte-spa-router';
  import { api, said, take, type Layer, type Model, type Values } from '../api/client';
  import { app } from '../state/app.svelte';
  import { copyLayer } from '../state/parcel';
  import type { SceneStore } from '../state/sceneStore.svelte';

  let { open, layer }: { open: SceneStore; layer: Layer } = $props();
  let loosening = $state(false);
  let meshing = $state(false);
  const gives = $derived(app.layers.find((k) => k.name === layer.kind)?.gives);
  const laid = $derived(['curve', 'solids'].every((f) => gives?.includes(f)));
  const alone = $derived(open.alone === layer.id);

  /** One like it, right of it. */
  async function double() {
    const layers = open.scene?.layers ?? [];
    const before = layers[layers.findIndex((l) => l.id === layer.id) + 1]?.id;
    const made = await open.edit({
      op: 'addLayer',
      kind: layer.kind,
      name: `${layer.name} again`.slice(0, 80),
      parameters: $state.snapshot(layer.parameters),
      shadow: layer.shadow,
      notes: $state.snapshot(layer.notes),
      game: $state.snapshot(layer.game),
      ...(before ? { before } : {}),
    });
    if (made?.created_id) open.selected = made.created_id;
  }

  /** In its place, a layer of all that it placed, set down one by one. */
  async function setLoose() {
    loosening = true;
    try {
      const path = { scene_id: open.id, layer_id: layer.id };
      const made = await take<{ kind: string; parameters: Values }>(
        api.GET('/api/scenes/{scene_id}/layers/{layer_id}/loose', { params: { path } }),
      );
      const added = await open.edit({
        op: 'addLayer',
        ...made,
        name: layer.name,
        shadow: layer.shadow,
        notes: $state.snapshot(layer.notes),
        game: $state.snapshot(layer.game),
        before: layer.id,
      });
      if (!added?.created_id) return;
      await open.edit({ op: 'removeLayer', id: layer.id, joined: true });
      open.selected = added.created_id;
    } catch (error) {
      app.tell(said(error), 'bad');
    } finally {
      loosening = false;
    }
  }

  /** What it lays along its line, as it stands now, as an asset on the shelf; the layer stays. */
  async function asMesh() {
    meshing = true;
    try {
      const body = { scene: open.id, layer: layer.id };
      const made = await take<Model>(api.POST('/api/bench/meshes/layer', { body }));
      const name = `${layer.name} as a mesh`.slice(0, 80);
      const kind = app.assets.find((k) => k.parameters.some((r) => r.control === 'file'))?.name ?? '';
      const added = await open.edit({ op: 'addAsset', kind, name, parameters: made.parameters, seeds: [1] });
      if (added?.created_id) await push(`/scene/${open.id}/asset/${added.created_id}`);
    } catch (error) {
      app.tell(said(error), 'bad');
    } finally {
      meshing = false;
    }
  }

  /** Its text goes to the clipboard, and is held for the scenes of this window where that is not allowed. */
  async function copy() {
    try {
      app.parcel = await copyLayer(open.id, layer.id);
      await navigator.clipboard?.writeText(JSON.stringify(app.parcel)).catch(() => {});
      app.tell(`${layer.name} is copied; Ctrl+V puts it into this scene or another`);
    } catch (error) {
      app.tell(said(error), 'bad');
    }
  }

  function remove() {
    void open.edit({ op: 'removeLayer', id: layer.id });
    open.selectFirst();
  }
</script>

<section class="rule mt-4 pt-3" aria-label="the layer as a whole">
  <div class="flex flex-wrap gap-1.5">
    <Button
      color={alone ? 'primary' : 'alternative'}
      size="xs"
      aria-pressed={alone}
      title="Only this layer and the ground, for your eyes"
      onclick={() => (open.alone = alone ? '' : layer.id)}>See it alone</Button
    >
    <Button
      color="alternative"
      size="xs"
      title="With all that it places; Ctrl+V puts it into this scene or another"
      onclick={copy}><Copy size={14} class="mr-1" />Copy it</Button
    >
    {#if gives?.includes('elevation')}
      <Button
        color={open.elevation === layer.id ? 'primary' : 'alternative'}
        size="xs"
        aria-pressed={open.elevation === layer.id}
        title="Seen from the side, made straight and to scale"
        onclick={() => (open.elevation = open.elevation === layer.id ? '' : layer.id)}
        ><RulerDimensionLine size={14} class="mr-1" />Elevation</Button
      >
    {/if}
    {#if open.canEdit}
      <Button color="alternative" size="xs" onclick={double}><CopyPlus size={14} class="mr-1" />Double it</Button>
      {#if touchesOf(layer.kind)}
        <Button
          color="alternative"
          size="xs"
          disabled={layer.locked || loosening}
          title="Its placements stand as if set down by hand; what it was ruled by may go"
          onclick={setLoose}><Unlink size={14} class="mr-1" />Set it loose</Button
        >
      {/if}
      {#if laid}
        <Button
          color="alternative"
          size="xs"
          disabled={meshing}
          title="As it stands now, on the shelf: to fuse, to write as a file, to set down elsewhere"
          onclick={asMesh}><Box size={14} class="mr-1" />Make an asset of it</Button
        >
      {/if}
      <Button
        color="alternative"
        size="xs"
        aria-pressed={layer.locked}
        onclick={() => open.edit({ op: 'layer', id: layer.id, locked: !layer.locked })}
        >{#if layer.locked}<LockOpen size={14} class="mr-1" />Unlock it{:else}<Lock size={14} class="mr-1" />Lock it{/if}</Button
      >
      <Button color="red" outline size="xs" disabled={layer.locked} onclick={remove}
        ><Trash size={14} class="mr-1" /> Remove this layer</Button
      >
    {/if}
  </div>
</section>
