<script lang="ts">
  import { brush } from '../state/brush.svelte';
  import { begin } from '../state/hand.svelte';
  import { Button } from 'flowbite-svelte';
  import Redo from '@lucide/svelte/icons/redo-2';
  import Undo from '@lucide/svelte/icons/undo-2';
  import { onDestroy, tick, untrack } from 'svelte';
  import { app } from '../state/app.svelte';
  import { api, said, take, type Preset, type Values } from '../api/client';
  import BoardView from '../parts/BoardView.svelte';
  import ChooseAssets from '../parts/ChooseAssets.svelte';
  import Presence from '../parts/Presence.svelte';
  import Share from '../parts/Share.svelte';
  import Sheet from '../parts/Sheet.svelte';
  import ElevationTray from '../parts/ElevationTray.svelte';
  import Strip from '../parts/Strip.svelte';
  import TopBar from '../parts/TopBar.svelte';
  import TrialTray from '../parts/TrialTray.svelte';
  import WeightBar from '../parts/WeightBar.svelte';
  import Name from '../controls/Name.svelte';
  import { drawn, fixed, kindOf, mixOf, placedOf, uiOf } from '../layers/registry';
  import { absent } from '../state/absent';
  import { keyring } from '../state/keys';
  import { parcelIn, pasteLayers, type Parcel } from '../state/parcel';
  import { recipeOf } from '../state/queries';
  import { SceneStore } from '../state/sceneStore.svelte';

  /** `away`: something else is looked at; the board is kept as it is. */
  let {
    params,
    away,
    onopen,
  }: { params: { scene: string }; away: boolean; onopen: (open: SceneStore | null) => void } = $props();
  const open = untrack(() => new SceneStore(params.scene));
  untrack(() => onopen(open));
  onDestroy(() => {
    onopen(null);
    open.close();
  });
  let view = $state<BoardView>();
  let ready = $state(false); // for what stands about the view: the picture comes first
  let drawing = $state<string | null>(null); // the kind of layer whose points are being drawn
  let carried = $state.raw<Values>({}); // what it has besides its points
  let bearing = $state<string | null>(null); // the kind of layer for which assets are being chosen
  const layer = $derived(open.layer(open.selected) ?? open.scene?.layers[0]);
  const saved = $derived(
    open.offline
      ? `offline: ${open.pending} ${open.pending === 1 ? 'edit is' : 'edits are'} kept here and sent when the server is back`
      : open.pause === 'server'
        ? `the server is busy: ${open.pending} ${open.pending === 1 ? 'edit waits' : 'edits wait'} and will be sent`
        : open.pending
          ? 'saving…'
          : open.scene?.role === 'viewer'
            ? 'you are a viewer of this scene: you can look and download'
            : `saved · edit ${open.scene?.edits ?? 0}`,
  );

  async function add(kind: string) {
    if (mixOf(kind)) bearing = kind;
    else if (drawn(kind)) draw(kind, {});
    else await addLayer(kind, {});
  }

  /** The points of a new layer are drawn; it has `parameters` besides. */
  function draw(kind: string, parameters: Values) {
    carried = { ...parameters, ...uiOf(kind).begin?.(open) };
    drawing = kind;
  }

  async function addLayer(kind: string, parameters: Record<string, unknown>) {
    const scene = await open.edit({
      op: 'addLayer',
      kind,
      name: uiOf(kind).called ?? `New ${kindOf(kind)?.title.toLowerCase() ?? kind}`,
      parameters: { ...parameters, ...uiOf(kind).begin?.(open) },
    });
    if (!scene?.created_id) return;
    open.selected = scene.created_id;
    if (!uiOf(kind).painted) return;
    await tick(); // the brush of the layer before is laid down
    // nothing stands until it is painted or set down
    if (placedOf(kind)) begin(open.scene?.settings, open.layer(scene.created_id));
    else brush.inHand = 'set';
  }

  /** The layers and assets that a way to begin brings. */
  async function beginWay(name: string) {
    const kind = bearing;
    if (!kind) return;
    try {
      const made = await take<{ layers: string[] }>(
        api.POST('/api/scenes/{scene_id}/ways/{kind}/{name}', {
          params: { path: { scene_id: open.id, kind, name } },
        }),
      );
      await open.reload();
      open.selected = made.layers[0] ?? open.selected;
    } catch (error) {
      app.tell(said(error));
    }
  }

  /** A layer of the kind `bearing`, over assets of the scene and over presets, which become assets. */
  async function addBearing(assets: string[], presets: Preset[]) {
    const kind = bearing;
    const path = kind && mixOf(kind)?.path;
    if (!kind || !path) return;
    const mix = [...assets];
    for (const p of presets) {
      const made = await open.edit({ op: 'addAsset', ...recipeOf(p) });
      if (!made?.created_id) return; // the refusal has been told
      mix.push(made.created_id);
    }
    const parameters = { [path]: mix.map((asset) => ({ asset, weight: 1 })) };
    if (drawn(kind)) draw(kind, parameters);
    else await addLayer(kind, parameters);
  }

  /** Put layers from a clipboard into the scene, right of the selected one. */
  async function paste(parcel: Parcel) {
    const layers = open.scene?.layers ?? [];
    const next = layers[layers.findIndex((l) => l.id === open.selected) + 1]?.id ?? null;
    try {
      const scene = await pasteLayers(open.id, parcel, next);
      await open.reload();
      void open.evaluate();
      open.selected = scene.created_id ?? open.selected;
      app.tell(`${open.layer(open.selected)?.name ?? 'it'} is put into ${open.scene?.name ?? 'the scene'}`);
    } catch (error) {
      app.tell(`it could not be put in: ${said(error)}`, 'bad');
    }
  }

  function pasted(event: ClipboardEvent) {
    const typing = event.target instanceof Element && event.target.closest('input, textarea, [contenteditable]');
    if (away || typing || !open.canEdit) return;
    const parcel = parcelIn(event.clipboardData?.getData('text/plain') ?? '') ?? app.parcel;
    if (!parcel) return app.tell('there is no layer on the clipboard; copy one in its sheet');
    event.preventDefault();
    void paste(parcel);
  }

  const changeable = () => (layer && open.canEdit && !fixed(layer.kind) ? layer : null);
  $effect(() => {
    if (!away) return;
    open.sleep();
    drawing = null;
    return () => open.wake();
  });
  $effect(() => {
    if (away) return;
    return keyring.bind({
      undo: () => open.canEdit && void open.edit({ op: 'undo' }),
      redo: () => open.canEdit && void open.edit({ op: 'redo' }),
      frame: () => view?.frameSelection(),
      whole: () => view?.frameScene(),
      contours: () => view?.nextContours(),
      walk: () => view?.walk(),
      before: () => {
        if (open.previous) open.before = !open.before;
      },
      nextFinding: () => view?.fly(open.trouble.step(1)),
      lastFinding: () => view?.fly(open.trouble.step(-1)),
      hide: () => {
        const l = changeable();
        if (l && !l.locked) void open.edit({ op: 'layer', id: l.id, hidden: !l.hidden });
      },
      remove: () => {
        const l = changeable();
        if (!l || l.locked) return;
        void open.edit({ op: 'removeLayer', id: l.id });
        open.selectFirst();
      },
    });
  });
</script>

<svelte:window onpaste={pasted} />

<div class="contents">
  <div class="flex h-full flex-col" {@attach absent(away)}>
    <TopBar name={open.scene?.name ?? 'Scene'} crumbs={[{ href: '#/', name: 'Scenes' }]}>
      {#snippet title()}
        {#if open.scene}
          <Name
            class="w-[16ch]! max-w-60 text-[15px] [field-sizing:content]"
            label="name of the scene"
            disabled={!open.canEdit}
            value={open.scene.name}
            onchange={(name) => open.edit({ op: 'scene', name })}
          />
        {/if}
      {/snippet}
      <span class={open.offline ? 'text-clay' : ''} role="status">{open.scene ? saved : ''}</span>
      {#snippet actions()}
        {#if open.scene}
          <Button
            color={open.trouble.shown ? 'primary' : 'alternative'}
            aria-pressed={open.trouble.shown}
            title="What is wrong in the scene (N: the next of it)"
            onclick={() => (open.trouble.shown = !open.trouble.shown)}
            >Trouble{#if open.trouble.found?.count}<b class={open.trouble.shown ? '' : 'text-clay'}
                >{open.trouble.found.count.toLocaleString('en')}</b
              >{/if}</Button
          >
        {/if}
        {#if open.canEdit}
          <Button
            color="alternative"
            disabled={!open.scene?.undo}
            title={open.scene?.undo ? `Undo ${open.scene.undo} (Ctrl Z)` : 'Nothing to undo'}
            onclick={() => open.edit({ op: 'undo' })}><Undo size={14} /> Undo</Button
          >
          <Button
            color="alternative"
            disabled={!open.scene?.redo}
            title={open.scene?.redo ? `Redo ${open.scene.redo} (Ctrl Shift Z)` : 'Nothing to redo'}
            aria-label="redo"
            onclick={() => open.edit({ op: 'redo' })}><Redo size={14} /></Button
          >
        {/if}
        <Button color="alternative" href="/api/scenes/{open.id}/document" download="{open.scene?.name ?? 'scene'}.json"
          >Save file</Button
        >
        {#if open.scene?.role === 'owner'}<Share {open} />{/if}
        <Presence names={open.present} />
      {/snippet}
    </TopBar>
    {#if open.failure}
      <main class="flex flex-1 items-center justify-center">
        <div class="max-w-md rounded border border-clay bg-leaf p-6" role="alert">
          <p class="font-serif text-[17px]">The scene could not be opened.</p>
          <p class="mt-1">{open.failure}. What was saved is safe on the server.</p>
          <div class="mt-4 flex gap-2">
            <Button color="primary" onclick={() => open.open()}>Try again</Button><Button color="alternative" href="#/"
              >Back to the scenes</Button
            >
          </div>
        </div>
      </main>
    {:else if !open.scene}
      <p class="flex flex-1 items-center justify-center font-serif text-[18px]" role="status">Opening the scene…</p>
    {:else}
      <main class="flex min-h-0 flex-1">
        {#if layer && ready}{#key layer.id}<Sheet
              {open}
              {layer}
              ondraw={(what) => (drawing = what)}
            />{/key}{:else}<aside class="w-(--sheet) shrink-0 border-r border-line bg-leaf"></aside>{/if}
        <BoardView bind:this={view} {open} {away} bind:drawing {carried} onready={() => (ready = true)} />
      </main>
      <footer class="min-h-(--strip-tall) shrink-0 border-t border-line bg-strip">
        {#if ready}
          {#if open.trials}<TrialTray {open} trials={open.trials} />
          {:else if layer && open.elevation === layer.id}{#key layer.id}<ElevationTray {open} {layer} />{/key}{:else}
            <WeightBar {open} />
            <Strip {open} onadd={add} />
          {/if}
        {/if}
      </footer>
    {/if}
  </div>
</div>
<ChooseAssets
  bind:open={() => bearing !== null, (shown) => (bearing = shown ? bearing : null)}
  scene={open}
  title="What does the new {kindOf(bearing ?? '')?.title.toLowerCase() ?? 'layer'} place?"
  kind={bearing ?? ''}
  onchoose={addBearing}
  onway={beginWay}
/>
