<script lang="ts">
  /** What a new layer bears: assets of the scene and presets, several at once; or a way to begin that brings all of it. */
  import { Button, Modal, Search } from 'flowbite-svelte';
  import type { Preset } from '../api/client';
  import { createQuery } from '@tanstack/svelte-query';
  import { drawn } from '../layers/kinds';
  import { presetsQuery, waysQuery } from '../state/queries';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import PictureChoice from './PictureChoice.svelte';
  import PresetFailure from './PresetFailure.svelte';

  let {
    open = $bindable(),
    scene,
    kind,
    title,
    onchoose,
    onway,
  }: {
    open: boolean;
    scene: SceneStore;
    kind: string; // of layer
    title: string;
    onchoose: (assets: string[], presets: Preset[]) => void;
    onway: (name: string) => void;
  } = $props();
  const presets = createQuery(() => presetsQuery(open));
  // what is drawn has no place yet: it is begun in such a way once it is there
  const ways = createQuery(() => waysQuery(kind, open && Boolean(kind) && !drawn(kind)));
  let words = $state('');
  let chosen = $state<string[]>([]); // asset ids and preset names, as "a:…" and "p:…"
  const wanted = $derived(words.toLowerCase().split(/\s+/).filter(Boolean));
  const fits = (...texts: string[]) => wanted.every((w) => texts.some((t) => t.toLowerCase().includes(w)));
  const assets = $derived((scene.scene?.assets ?? []).filter((a) => fits(a.name, a.kind, ...a.tags)));
  const begun = $derived((ways.data ?? []).filter((w) => fits(w.title, w.text)));
  const recipes = $derived((presets.data ?? []).filter((p) => fits(p.title, p.kind)));

  const toggle = (key: string) => (chosen = chosen.includes(key) ? chosen.filter((k) => k !== key) : [...chosen, key]);

  function done() {
    onchoose(
      (scene.scene?.assets ?? []).map((a) => a.id).filter((id) => chosen.includes(`a:${id}`)),
      (presets.data ?? []).filter((p) => chosen.includes(`p:${p.name}`)),
    );
    open = false;
  }
  $effect(() => {
    if (!open) return;
    chosen = [];
    words = '';
  });
</script>

<Modal {title} bind:open size="xl" class="max-w-[1120px]! bg-leaf text-ink">
  <div class="flex items-center gap-3">
    <Search
      size="sm"
      class="w-64"
      required={false}
      placeholder="name, kind or tag"
      aria-label="search what can be placed"
      bind:value={words}
    />
    <span class="flex-1 text-[12.5px] text-soft" role="status">
      {chosen.length ? `${chosen.length} chosen` : 'Choose one or several.'}
    </span>
    <Button color="alternative" onclick={() => (open = false)}>Cancel</Button>
    <Button color="primary" disabled={!chosen.length} onclick={done}>Add the layer</Button>
  </div>
  <PresetFailure query={presets} />
  <div class="max-h-[58vh] overflow-y-auto pr-1">
    {#if begun.length}
      <h3 class="mb-2 font-serif text-[14px] font-semibold">Ways to begin, with all that they need</h3>
      <div class="mb-4 grid grid-cols-6 gap-2.5 p-0.5">
        {#each begun as w (w.name)}
          <div title={w.text}>
            <PictureChoice
              picture={w.picture}
              title={w.title}
              label="begin with {w.title}"
              onclick={() => {
                open = false;
                onway(w.name);
              }}
            />
          </div>
        {/each}
      </div>
    {/if}
    {#if assets.length}
      <h3 class="mb-2 font-serif text-[14px] font-semibold">In this scene</h3>
      <div class="grid grid-cols-6 gap-2.5 p-0.5">
        {#each assets as a (a.id)}
          <PictureChoice
            picture="/api/scenes/{scene.id}/assets/{a.id}/picture?v={a.version}"
            title={a.name}
            label="place {a.name}"
            chosen={chosen.includes(`a:${a.id}`)}
            onclick={() => toggle(`a:${a.id}`)}
          />
        {/each}
      </div>
    {/if}
    {#if recipes.length}
      <h3 class="mt-4 mb-2 font-serif text-[14px] font-semibold">Presets</h3>
      <div class="grid grid-cols-6 gap-2.5 p-0.5">
        {#each recipes as p (p.name)}
          <PictureChoice
            picture={p.picture}
            title={p.title}
            label="place the preset {p.title}"
            chosen={chosen.includes(`p:${p.name}`)}
            onclick={() => toggle(`p:${p.name}`)}
          />
        {/each}
      </div>
    {/if}
    {#if !begun.length && !assets.length && !recipes.length && words}
      <p class="py-10 text-center text-soft">Nothing is called so.</p>
    {/if}
  </div>
</Modal>
