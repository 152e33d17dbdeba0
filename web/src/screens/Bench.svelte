<script lang="ts">
  import { Alert, Button, TabItem, Tabs, ToolbarButton } from 'flowbite-svelte';
  import Lock from '@lucide/svelte/icons/lock';
  import LockOpen from '@lucide/svelte/icons/lock-open';
  import Redo from '@lucide/svelte/icons/redo-2';
  import Undo from '@lucide/svelte/icons/undo-2';
  import { onDestroy, untrack } from 'svelte';
  import { push } from 'svelte-spa-router';
  import { api, said, take, type Cousin, type Preset, type Revision, type Row, type Values } from '../api/client';
  import Fullness from '../controls/Fullness.svelte';
  import Field from '../controls/Field.svelte';
  import Name from '../controls/Name.svelte';
  import BenchTray from '../parts/BenchTray.svelte';
  import BenchView from '../parts/BenchView.svelte';
  import ExportDialog from '../parts/ExportDialog.svelte';
  import NotesForGame from '../parts/NotesForGame.svelte';
  import Origins from '../parts/Origins.svelte';
  import OwnImages from '../parts/OwnImages.svelte';
  import Presence from '../parts/Presence.svelte';
  import PresetDialog from '../parts/PresetDialog.svelte';
  import Shelf from '../parts/Shelf.svelte';
  import TopBar from '../parts/TopBar.svelte';
  import { createQuery } from '@tanstack/svelte-query';
  import { app } from '../state/app.svelte';
  import { queries, revisionsQuery } from '../state/queries';
  import { BenchState } from '../state/bench.svelte';
  import { drawn, giving } from '../layers/kinds';
  import type { Flat } from '../state/freehand';
  import { keyring } from '../state/keys';
  import { SceneStore } from '../state/sceneStore.svelte';
  import { actsOn, counted, matters } from '../state/matters';
  import { flat, grouped, read, same } from '../state/values';

  /** `scene` is the one that the board has open. */
  let { params, scene }: { params: { scene: string; asset: string }; scene: SceneStore | null } = $props();
  const own = untrack(() => (scene ? null : new SceneStore(params.scene, false)));
  const open = untrack(() => scene ?? (own as SceneStore));
  const bench = untrack(() => new BenchState(params.scene));
  const versions = createQuery(() => revisionsQuery(params.scene, params.asset));
  $effect(() => {
    void versions.data; // what is not read from the beginning is not told when it comes
    if (versions.error) bench.trayFailure = said(versions.error);
  });
  let stage = $state('');
  let settle = 0;
  let presetsOpen = $state(false);
  let exportOpen = $state(false);
  let shelfOpen = $state(false);
  let taken = ''; // the asset that is on the bench
  const asset = $derived(open.asset(params.asset));
  const kind = $derived(app.assets.find((k) => k.name === asset?.kind));
  const rows = $derived(kind?.parameters ?? []);
  const stages = $derived(grouped(rows));
  const shown = $derived(stages.find((g) => g.group === stage) ?? stages[0]);
  /** The stage at which images of one's own are worn. */
  const skin = $derived(['Skin', 'Leaf', 'Colour'].find((g) => rows.some((r) => r.group === g)));
  const wears = (g: { group: string }) => g.group === skin;
  const aged = $derived(rows.some((r) => r.control === 'age'));
  const disabled = $derived(!open.canEdit);
  const outlines = $derived(
    giving(open.scene?.layers ?? [], 'region').map((l) => ({
      id: l.id,
      name: l.name,
      points: (l.parameters[drawn(l.kind)?.path ?? ''] ?? []) as Flat[],
    })),
  );
  const users = $derived(
    (open.scene?.layers ?? []).filter((l) =>
      ((l.parameters.mix ?? []) as { asset: string }[]).some((m) => m.asset === params.asset),
    ).length,
  );
  const canDo = $derived(open.canEdit && !open.pending);

  onDestroy(() => {
    bench.stop();
    own?.close();
  });

  // what is kept, from whoever changed it, comes onto the bench
  $effect(() => {
    if (!asset || !kind) return;
    const { id, parameters, seeds, images } = asset;
    untrack(() => {
      const first = taken !== id;
      if (!first && same(parameters, bench.parameters) && same(images, bench.images)) return;
      bench.take(id, kind.name, parameters, first ? (seeds[0] ?? 1) : bench.seed, images);
      if (first) {
        taken = id;
        bench.slow = kind.slow;
        bench.skin = kind.parts === 'fuse';
        bench.seedsFrom = Math.floor(((seeds[0] ?? 1) - 1) / 8) * 8;
        bench.cousins = [];
        bench.held = null;
        bench.tray = app.seeded(kind.name) ? 'seeds' : 'versions';
        stage = stages[0]?.group ?? '';
      }
      refresh();
    });
  });

  function refresh(wait = 60) {
    void bench.make();
    clearTimeout(settle);
    settle = window.setTimeout(() => void measured(), wait);
  }

  /** What takes its time is measured once it is there. */
  async function measured() {
    if (bench.slow) await bench.settled();
    if (bench.stopped) return;
    await bench.fillTray();
    await bench.measure();
  }

  /** An asset that is one skin over this one, or over its parts. */
  async function fuse() {
    if (!asset) return;
    const own = kind?.parts === 'stand' ? ($state.snapshot(asset.parameters.parts) as Values[]) : null;
    await makeOf('fuse', `${asset.name} fused`, own ?? [{ id: 'p1', asset: asset.id, seed: bench.seed }]);
  }

  /** An asset that is a heap of this one. */
  async function heap() {
    if (!asset) return;
    const seeds = Math.min(8, Math.max(4, asset.seeds.length));
    await makeOf('heap', `${asset.name} heap`, [{ id: 'p1', asset: asset.id, seed: asset.seeds[0] ?? 1, seeds }]);
  }

  /** A sheet of cloth that lies over this one, or over its parts, and hangs down nearly to the ground. */
  async function cover() {
    const facts = bench.made?.facts;
    if (!asset || !facts) return;
    const own = kind?.parts === 'stand' ? ($state.snapshot(asset.parameters.parts) as Values[]).slice(0, 16) : null;
    const side = Math.round(20 * Math.min(20, Math.max(0.4, 2 * facts.canopy_radius + 1.7 * facts.height))) / 20;
    await makeOf('cover', `${asset.name} covered`, own ?? [{ id: 'p1', asset: asset.id, seed: bench.seed }], {
      hung: 'over',
      body: 'things',
      wide: side,
      long: side,
      wind: 0.5,
    });
  }

  /** A new asset that buildings draw in their walls; its id. */
  async function housePiece() {
    const kind = app.assets.find((k) => k.fills);
    if (!kind || !asset) return undefined;
    const name = `${asset.name} piece`.slice(0, 80);
    const parameters = 'kit' in bench.parameters ? { kit: bench.parameters.kit } : {};
    const made = await open.edit({ op: 'addAsset', kind: kind.name, name, parameters, seeds: [1] });
    return made?.created_id ?? undefined;
  }

  async function makeOf(way: 'fuse' | 'heap' | 'cover', name: string, parts: Values[], more: Values = {}) {
    const kind = app.ofParts(way)?.name;
    if (!kind) return;
    const parameters = { parts, ...more };
    const made = await open.edit({ op: 'addAsset', kind, name: name.slice(0, 80), parameters, seeds: [1] });
    if (made?.created_id) await push(`/scene/${params.scene}/asset/${made.created_id}`);
  }

  function oninput(path: string, value: unknown) {
    bench.draft({ [path]: value });
  }

  function onchange(path: string, value: unknown) {
    keepAll({ [path]: value });
  }

  /** Set parameters at once, as one edit. */
  function keepAll(changes: Values) {
    bench.draft(changes);
    refresh(250);
    void open.edit({ op: 'asset', id: params.asset, parameters: changes });
  }

  function pick(seed: number, add: boolean) {
    if (add && asset && open.canEdit) {
      const seeds = asset.seeds.includes(seed) ? asset.seeds.filter((s) => s !== seed) : [...asset.seeds, seed];
      if (!seeds.length) return app.tell('an asset keeps one seed or more');
      if (seeds.length > 24) return app.tell('an asset keeps at most 24 seeds');
      void open.edit({ op: 'asset', id: params.asset, seeds });
    }
    bench.seed = seed;
    refresh(400);
  }

  const takeCousin = (c: Cousin) => keepAll(flat(rows, c.parameters));
  const takePreset = (p: Preset) => {
    bench.seed = p.seed;
    bench.seedsFrom = Math.floor((p.seed - 1) / 8) * 8;
    keepAll(flat(rows, p.parameters));
  };

  async function keepVersion(note: string) {
    const path = { scene_id: params.scene, asset_id: params.asset };
    try {
      const kept = await take<Revision[]>(
        api.POST('/api/scenes/{scene_id}/assets/{asset_id}/revisions', { params: { path }, body: { note } }),
      );
      queries.setQueryData(revisionsQuery(params.scene, params.asset).queryKey, kept);
      app.tell(`version ${kept[0]?.number} is kept`);
    } catch (error) {
      app.tell(said(error), 'bad');
    }
  }

  async function returnTo(v: Revision) {
    const scene = await open.edit({ op: 'returnTo', id: params.asset, number: v.number });
    if (scene) app.tell(`version ${v.number} is the present one again; undo takes it back`);
  }

  const count = (title: string) => counted(kind?.told?.[title], bench.made?.facts.counts ?? {});
  function hover(row: Row | null) {
    bench.lit = row ? actsOn(row, bench.made?.facts.ranges ?? {}) : [];
  }

  async function back() {
    await push(`/scene/${params.scene}`);
  }

  $effect(() =>
    keyring.bind({
      undo: () => open.canEdit && void open.edit({ op: 'undo' }),
      redo: () => open.canEdit && void open.edit({ op: 'redo' }),
    }),
  );
</script>

{#snippet sheetOf(g: (typeof stages)[number])}
  {#if bench.failure}<Alert class="mb-2" role="alert">{bench.failure}. The last good result stays.</Alert>{/if}
  {#each g.sections as s, i (s.title)}
    {@const alive = s.rows.filter((r) => matters(r, bench.parameters))}
    {#if alive.length}
      <section class={i ? 'rule mt-2.5 pt-2' : ''}>
        <div class="mb-1 flex items-baseline justify-between">
          <h2 class="text-[14px]">{s.title || g.group}</h2>
          <span class="text-[12px] text-soft">{count(s.title || g.group)}</span>
        </div>
        {#each alive as r (r.path)}
          <div
            class="group/row relative"
            role="presentation"
            onmouseenter={() => hover(r)}
            onmouseleave={() => hover(null)}
            onfocusin={() => hover(r)}
            onfocusout={() => hover(null)}
          >
            {#if r.control === 'fullness'}
              <Fullness
                {bench}
                row={r}
                {rows}
                value={Number(read(bench.parameters, r.path) ?? 1)}
                {disabled}
                oninput={(v) => oninput(r.path, v)}
                onchange={(v) => onchange(r.path, v)}
              />
            {:else}
              <Field
                row={r}
                value={read(bench.parameters, r.path)}
                {disabled}
                reach={Number(bench.parameters.stem_length ?? 1)}
                {outlines}
                edges={[...new Set((bench.made?.facts.faces ?? []).filter((f) => !f.storey).map((f) => f.edge))]}
                pieces={bench.made?.facts.fillings.kit ?? []}
                bench={{ fresh: housePiece, open: (id) => push(`/scene/${params.scene}/asset/${id}`) }}
                choices={(open.scene?.assets ?? [])
                  .filter((a) =>
                    ['parts', 'shares', 'pieces'].includes(r.control) ? a.id !== params.asset : a.kind === r.to,
                  )
                  .map((a) => ({ ...a, drawn: app.assets.some((k) => k.name === a.kind && k.fills) }))}
                oninput={(v) => oninput(r.path, v)}
                onchange={(v) => onchange(r.path, v)}
              />
            {/if}
            {#if bench.tray === 'cousins' && ['slider', 'count', 'curve', 'color'].includes(r.control)}
              {@const locked = bench.locked.has(r.path)}
              <ToolbarButton
                class="absolute top-1/2 -left-[29px] -translate-y-1/2 {locked
                  ? 'text-moss'
                  : 'opacity-60 hover:opacity-100'}"
                aria-label="{locked ? 'unlock' : 'lock'} {r.title}"
                aria-pressed={locked}
                title={locked ? 'Stays as it is' : 'May vary; click to lock it'}
                onclick={() => bench.lock(r.path)}
                >{#if locked}<Lock size={14} />{:else}<LockOpen size={14} />{/if}</ToolbarButton
              >
            {/if}
          </div>
        {/each}
      </section>
    {/if}
  {/each}
  {#if g.group === 'Leaf' && bench.parameters.leaf_asset}
    <p class="py-1 text-soft">
      The leaf is that of {open.asset(String(bench.parameters.leaf_asset))?.name ?? 'an asset that is missing'}; choose
      “its own” under Leaves to shape another.
    </p>
  {/if}
  {#if wears(g)}
    <OwnImages
      scene={open.id}
      slots={bench.detail < 3 ? (bench.made?.facts.slots ?? []) : []}
      images={bench.images}
      {disabled}
      onchange={(images) => {
        bench.images = images;
        refresh(250);
        void open.edit({ op: 'asset', id: params.asset, images });
      }}
    />
  {/if}
  {#if asset && g === (asset.parameters.source ? stages[0] : stages.find(wears))}
    <Origins scene={open} {asset} {disabled} />
  {/if}
  {#if asset && g === stages.at(-1)}
    {#key params.asset}
      <NotesForGame
        notes={asset.notes}
        of={asset.name}
        {disabled}
        onchange={(notes) => open.edit({ op: 'asset', id: params.asset, notes })}
      />
    {/key}
  {/if}
{/snippet}

<div class="flex h-full flex-col">
  <TopBar
    name="{asset?.name ?? 'Asset'} on the bench"
    crumbs={[
      { href: '#/', name: 'Scenes' },
      { href: `#/scene/${params.scene}`, name: open.scene?.name ?? 'Scene' },
    ]}
  >
    {#snippet title()}<span class="font-serif text-[15px] font-semibold">{asset?.name ?? ''}</span>{/snippet}
    <span class={open.offline ? 'text-clay' : ''} role="status">
      {#if asset}{asset.kind} · used in {users}
        {users === 1 ? 'packet' : 'packets'} · {open.offline
          ? `offline: ${open.pending} edits are kept here`
          : open.pending
            ? 'saving…'
            : disabled
              ? 'you are a viewer: changes are not kept'
              : 'saved'}{/if}
    </span>
    {#snippet actions()}
      {#if open.canEdit}
        <Button
          color="alternative"
          disabled={!open.scene?.undo || !canDo}
          title={open.scene?.undo ? `Undo ${open.scene.undo}` : 'Nothing to undo'}
          onclick={() => open.edit({ op: 'undo' })}><Undo size={14} /> Undo</Button
        >
        <Button
          color="alternative"
          disabled={!open.scene?.redo || !canDo}
          aria-label="redo"
          onclick={() => open.edit({ op: 'redo' })}><Redo size={14} /></Button
        >
      {/if}
      <Button color="alternative" onclick={() => (shelfOpen = true)}>Shelf</Button>
      {#if asset}<Button color="alternative" onclick={() => (exportOpen = true)}>Write a file…</Button>{/if}
      <Button color="primary" onclick={back}>Back to {open.scene?.name ?? 'the scene'}</Button>
      <Presence names={open.present} />
    {/snippet}
  </TopBar>
  {#if open.failure}
    <main class="flex flex-1 items-center justify-center">
      <div class="rounded border border-clay bg-leaf p-6" role="alert">
        <p>The asset could not be opened: {open.failure}.</p>
        <Button color="primary" class="mt-3" onclick={() => open.open()}>Try again</Button>
      </div>
    </main>
  {:else if open.scene && !asset}
    <main class="flex flex-1 items-center justify-center">
      <div class="rounded border border-line bg-leaf p-6">
        <p>This asset is not in the scene any more.</p>
        <Button color="primary" class="mt-3" onclick={back}>Back to the scene</Button>
      </div>
    </main>
  {:else if !asset}
    <p class="flex flex-1 items-center justify-center font-serif text-[18px]" role="status">Setting up the bench…</p>
  {:else}
    <main class="flex min-h-0 flex-1">
      <aside class="flex w-(--sheet) shrink-0 flex-col border-r border-line bg-leaf" aria-label="sheet of {asset.name}">
        <div class="px-[18px] pt-4">
          <Name
            class="w-full text-[20px]"
            label="name of the asset"
            {disabled}
            value={asset.name}
            onchange={(name) => open.edit({ op: 'asset', id: params.asset, name })}
          />
          <div class="mt-1 flex flex-wrap gap-1.5">
            {#if !disabled && app.seeded(asset.kind) && ['', 'cover', 'fill'].includes(kind?.parts ?? '')}<Button
                color="alternative"
                onclick={() => (presetsOpen = true)}>Start from a preset…</Button
              >{/if}
            <Button
              color="alternative"
              title="Hold what is shown beside the draft, then go on changing"
              onclick={() =>
                bench.hold({ label: `as it was, seed ${bench.seed}`, parameters: bench.parameters, seed: bench.seed })}
              >Hold two side by side</Button
            >
            {#if !disabled && !bench.skin}
              <Button
                color="alternative"
                title="A new asset: one closed skin over {kind?.parts === 'stand' ? 'its parts' : 'this one'}"
                onclick={fuse}>Fuse…</Button
              >
            {/if}
            {#if !disabled && !bench.slow}
              <Button color="alternative" title="A new asset: many of this one, dropped in a heap" onclick={heap}
                >Heap…</Button
              >
            {/if}
            {#if !disabled && !bench.slow && kind?.parts !== 'cover'}
              <Button
                color="alternative"
                title="A new asset: a sheet of cloth that lies over {kind?.parts === 'stand'
                  ? 'its parts'
                  : 'this one'}"
                disabled={!bench.made}
                onclick={cover}>Cover…</Button
              >
            {/if}
          </div>
        </div>
        <Tabs
          bind:selected={stage}
          divider={false}
          tabStyle="underline"
          class="mt-2.5 grid gap-1 px-[18px] {stages.length > 5 ? 'grid-cols-5' : 'grid-flow-col'}"
          classes={{
            content: `flex-1 overflow-y-auto pt-2 pr-[18px] pb-5 ${bench.tray === 'cousins' ? 'pl-[40px]' : 'pl-[18px]'}`,
          }}
        >
          {#each stages as g (g.group)}
            <TabItem key={g.group} title={g.group}>{@render sheetOf(g)}</TabItem>
          {/each}
        </Tabs>
      </aside>
      <div class="flex min-w-0 flex-1 flex-col">
        <BenchView
          {bench}
          rows={rows.filter((r) => r.group === shown?.group)}
          {aged}
          {disabled}
          {oninput}
          {onchange}
          onkept={() => asset && bench.draft(flat(rows, asset.parameters))}
          onlevel={(d) => {
            bench.detail = d;
            void bench.make();
          }}
        />
        <BenchTray
          {bench}
          {asset}
          versions={versions.data}
          {disabled}
          onpick={pick}
          oncousin={takeCousin}
          onkeep={keepVersion}
          onreturn={returnTo}
          {oninput}
          {onchange}
        />
      </div>
    </main>
  {/if}
</div>
{#if asset}
  <PresetDialog bind:open={presetsOpen} kind={asset.kind} title="Start from a preset" onchoose={takePreset} />
  <ExportDialog bind:open={exportOpen} {bench} {asset} {aged} />
{/if}
<Shelf bind:open={shelfOpen} scene={open} onopen={(id) => push(`/scene/${params.scene}/asset/${id}`)} />
