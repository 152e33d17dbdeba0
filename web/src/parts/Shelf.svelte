<script lang="ts">
  /** The scene's assets with pictures: search, tags, duplicate, rename, remove, read a recipe. */
  import { Alert, Button, Input, Modal, Search, ToolbarButton } from 'flowbite-svelte';
  import Copy from '@lucide/svelte/icons/copy';
  import Trash from '@lucide/svelte/icons/trash-2';
  import { api, said, take, type Asset, type Preset, type Recipe } from '../api/client';
  import { app } from '../state/app.svelte';
  import { createQuery } from '@tanstack/svelte-query';
  import { byItem, filesOf } from '../state/library';
  import { originsQuery, recipeOf } from '../state/queries';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import Name from '../controls/Name.svelte';
  import FileButton from './FileButton.svelte';
  import MeshDialog from './MeshDialog.svelte';
  import PresetDialog from './PresetDialog.svelte';

  let {
    open = $bindable(),
    scene,
    onopen,
    oncreated,
  }: {
    open: boolean;
    scene: SceneStore;
    onopen: (id: string) => void;
    oncreated?: (id: string) => Promise<void>;
  } = $props();
  let words = $state('');
  let presetsOpen = $state(false);
  let meshesOpen = $state(false);
  let failure = $state('');
  const assets = $derived(scene.scene?.assets ?? []);
  const tags = $derived([...new Set(assets.flatMap((a) => a.tags))].sort());
  const found = $derived(
    assets.filter((a) =>
      words
        .toLowerCase()
        .split(/\s+/)
        .filter(Boolean)
        .every((w) => [a.name, a.kind, ...a.tags].some((t) => t.toLowerCase().includes(w))),
    ),
  );

  const files = $derived([...new Set(assets.flatMap(filesOf))].sort());
  const origins = createQuery(() => ({ ...originsQuery(scene.id, files), enabled: open && files.length > 0 }));

  /** On whose terms an asset is used, as short as it can be said. */
  function termsOf(a: Asset): string {
    const mine = byItem((origins.data ?? []).filter((o) => filesOf(a).includes(o.file)));
    return mine.length ? ` · ${[...new Set(mine.map((o) => o.licence))].join(', ')} by ${mine[0]?.by}` : '';
  }

  const seedsOf = (a: Asset) =>
    app.seeded(a.kind) ? ` · ${a.seeds.length} ${a.seeds.length === 1 ? 'seed' : 'seeds'}` : '';

  /** The packets that place an asset, and the assets that bear it. */
  function users(a: Asset): string[] {
    const packets = (scene.scene?.layers ?? [])
      .filter((l) => ((l.parameters.mix ?? []) as { asset: string }[]).some((m) => m.asset === a.id))
      .map((l) => l.name);
    const bearers = assets
      .filter((o) => o.id !== a.id && JSON.stringify(o.parameters).includes(`"${a.id}"`))
      .map((o) => o.name);
    return [...packets, ...bearers];
  }

  async function add(
    kind: string,
    name: string,
    parameters: Asset['parameters'],
    seeds: number[],
    more: { tags?: string[]; images?: Asset['images']; notes?: Asset['notes'] } = {},
  ) {
    const made = await scene.edit({ op: 'addAsset', kind, name, parameters, seeds, ...more });
    if (!made?.created_id) return null;
    await oncreated?.(made.created_id);
    return made.created_id;
  }
  function show(id: string | null) {
    if (!id) return;
    open = false;
    onopen(id);
  }
  function begin(p: Preset) {
    const { kind, name, parameters, seeds } = recipeOf(p);
    void add(kind, name, parameters, seeds).then(show);
  }

  async function duplicate({ kind, name, parameters, seeds, tags, images, notes }: Asset) {
    show(await add(kind, `${name.slice(0, 72)}, copy`, parameters, seeds, { tags, images, notes }));
  }

  async function readRecipe(chosen: File) {
    failure = '';
    try {
      if (chosen.size > 400_000)
        throw new Error(`the file has ${chosen.size.toLocaleString('en')} bytes; a recipe has at most 400,000`);
      const r = await take<Recipe>(api.POST('/api/bench/recipe', { body: { text: await chosen.text() } }));
      const name = r.name || chosen.name.replace(/\.json$/, '');
      show(await add(r.kind, name, r.parameters as Asset['parameters'], r.seeds));
    } catch (error) {
      failure = `${chosen.name} could not be read: ${said(error)}`;
    }
  }

  function retag(a: Asset, text: string) {
    const next = [
      ...new Set(
        text
          .split(',')
          .map((t) => t.trim())
          .filter(Boolean),
      ),
    ];
    if (next.length > 20) return app.tell('an asset has at most 20 tags', 'bad');
    if (next.some((t) => t.length > 30)) return app.tell('a tag has at most 30 letters', 'bad');
    void scene.edit({ op: 'asset', id: a.id, tags: next });
  }
</script>

<Modal title="Shelf" bind:open size="xl" class="max-w-[1120px]! bg-leaf text-ink">
  <div class="flex flex-wrap items-center gap-2">
    <Search
      size="sm"
      class="w-64"
      required={false}
      placeholder="name, kind or tag"
      aria-label="search the shelf"
      bind:value={words}
    />
    {#each tags as t (t)}
      <Button
        pill
        color="alternative"
        class="min-h-[24px] py-0 {words === t ? 'bg-moss-tint' : ''}"
        aria-pressed={words === t}
        onclick={() => (words = words === t ? '' : t)}>{t}</Button
      >
    {/each}
    <span class="flex-1"></span>
    {#if scene.canEdit}
      <FileButton accept=".json,application/json" label="recipe" onfile={readRecipe}>Read a recipe…</FileButton>
      <Button color="alternative" onclick={() => (meshesOpen = true)}>Bring in meshes…</Button>
      <Button color="primary" onclick={() => (presetsOpen = true)}>New from a preset…</Button>
    {/if}
  </div>
  {#if failure}<Alert role="alert">{failure}.</Alert>{/if}
  <div class="grid max-h-[58vh] grid-cols-4 gap-3 overflow-y-auto pr-1">
    {#each found as a (a.id)}
      {@const used = users(a)}
      <article class="overflow-hidden rounded-[5px] border border-line bg-plate" aria-label={a.name}>
        <button
          class="block w-full"
          aria-label="open {a.name} on the bench"
          onclick={() => {
            open = false;
            onopen(a.id);
          }}
        >
          <img
            src="/api/scenes/{scene.id}/assets/{a.id}/picture?v={a.version}"
            alt=""
            loading="lazy"
            class="aspect-[10/9] w-full portrait"
          />
        </button>
        <div class="px-2 pt-1 pb-2">
          <Name
            class="w-full text-[13.5px]"
            label="name of {a.name}"
            disabled={!scene.canEdit}
            value={a.name}
            onchange={(name) => scene.edit({ op: 'asset', id: a.id, name })}
          />
          <p class="truncate text-[11.5px] text-soft" title={used.join(', ')}>
            {a.kind}{seedsOf(a)}{termsOf(a)} · {used.length ? `used in ${used.join(', ')}` : 'not used yet'}
          </p>
          <div class="mt-1 flex items-center gap-1">
            <Input
              class="min-w-0 flex-1 px-1.5 py-[2px] text-[11.5px]"
              placeholder="tags, with commas"
              aria-label="tags of {a.name}"
              disabled={!scene.canEdit}
              value={a.tags.join(', ')}
              onchange={(e) => retag(a, (e.target as HTMLInputElement).value)}
            />
            {#if scene.canEdit}
              <ToolbarButton
                class="hover:text-moss"
                aria-label="duplicate {a.name}"
                title="Duplicate"
                onclick={() => duplicate(a)}><Copy size={16} /></ToolbarButton
              >
              <ToolbarButton
                class="enabled:hover:text-clay disabled:opacity-30"
                aria-label="remove {a.name}"
                title={used.length ? `Used in ${used.join(', ')}` : 'Remove'}
                disabled={used.length > 0}
                onclick={() => scene.edit({ op: 'removeAsset', id: a.id })}><Trash size={16} /></ToolbarButton
              >
            {/if}
          </div>
        </div>
      </article>
    {:else}
      <p class="col-span-4 py-10 text-center text-soft">
        {assets.length ? 'Nothing on the shelf is called so.' : 'The shelf is empty: begin with a preset.'}
      </p>
    {/each}
  </div>
</Modal>
<MeshDialog
  bind:open={meshesOpen}
  scene={scene.id}
  onbring={(name, parameters) => add('mesh', name, parameters, [1])}
  onalone={show}
/>
<PresetDialog bind:open={presetsOpen} title="Begin with" onchoose={begin} />
