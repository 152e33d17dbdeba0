<script lang="ts">
  import Lock from '@lucide/svelte/icons/lock';
  import LockOpen from '@lucide/svelte/icons/lock-open';
  import Redo from '@lucide/svelte/icons/redo-2';
  import Undo from '@lucide/svelte/icons/undo-2';
  import { onDestroy, untrack } from 'svelte';
  import { push } from 'svelte-spa-router';
  import { api, said, take, type Cousin, type Preset, type Revision, type Row, type Values } from '../api/client';
  import Fullness from '../controls/Fullness.svelte';
  import Field from '../controls/Field.svelte';
  import BenchTray from '../parts/BenchTray.svelte';
  import BenchView from '../parts/BenchView.svelte';
  import ExportDialog from '../parts/ExportDialog.svelte';
  import OwnImages from '../parts/OwnImages.svelte';
  import Presence from '../parts/Presence.svelte';
  import PresetDialog from '../parts/PresetDialog.svelte';
  import Shelf from '../parts/Shelf.svelte';
  import TopBar from '../parts/TopBar.svelte';
  import { actsOn } from '../state/acts';
  import { app } from '../state/app.svelte';
  import { BenchState } from '../state/bench.svelte';
  import { keyring } from '../state/keys';
  import { OpenScene } from '../state/scene.svelte';
  import { live } from '../state/live';
  import { flat, grouped, read, same } from '../state/values';

  let { params }: { params: { scene: string; asset: string } } = $props();
  const open = untrack(() => new OpenScene(params.scene, false));
  const bench = untrack(() => new BenchState(params.scene));
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
  const disabled = $derived(!open.canEdit);
  const users = $derived(
    (open.scene?.layers ?? []).filter((l) =>
      ((l.parameters.mix ?? []) as { asset: string }[]).some((m) => m.asset === params.asset),
    ).length,
  );
  const canDo = $derived(open.canEdit && !open.pending);

  onDestroy(() => {
    bench.stop();
    open.close();
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
        bench.seedsFrom = Math.floor(((seeds[0] ?? 1) - 1) / 8) * 8;
        bench.cousins = [];
        bench.versions = null;
        bench.held = null;
        bench.tray = 'seeds';
        stage = stages[0]?.group ?? '';
        void loadVersions();
      }
      refresh();
    });
  });

  function refresh(wait = 60) {
    void bench.make();
    clearTimeout(settle);
    settle = window.setTimeout(() => {
      void bench.fillTray().then(() => bench.measure());
    }, wait);
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

  async function loadVersions() {
    const path = { scene_id: params.scene, asset_id: params.asset };
    try {
      bench.versions = await take<Revision[]>(
        api.GET('/api/scenes/{scene_id}/assets/{asset_id}/revisions', { params: { path } }),
      );
    } catch (error) {
      bench.trayFailure = said(error);
    }
  }

  async function keepVersion(note: string) {
    const path = { scene_id: params.scene, asset_id: params.asset };
    try {
      bench.versions = await take<Revision[]>(
        api.POST('/api/scenes/{scene_id}/assets/{asset_id}/revisions', { params: { path }, body: { note } }),
      );
      app.tell(`version ${bench.versions[0]?.number} is kept`);
    } catch (error) {
      app.tell(said(error), 'bad');
    }
  }

  async function returnTo(v: Revision) {
    const scene = await open.edit({ op: 'returnTo', id: params.asset, number: v.number });
    if (scene) app.tell(`version ${v.number} is the present one again; undo takes it back`);
  }

  const NUMBERS: Record<string, string> = {
    'First order': 'first',
    'Second order': 'second',
    'Third order': 'third',
    'Fourth order': 'fourth',
  };
  function count(section: string): string {
    const c = bench.made?.facts.counts ?? {};
    const name = NUMBERS[section];
    return name && c[name] !== undefined ? `${c[name].toLocaleString('en')} grown` : '';
  }
  const groupCount = $derived.by(() => {
    const c = bench.made?.facts.counts ?? {};
    const told = (name: string, word = name) =>
      c[name] === undefined ? '' : `${c[name].toLocaleString('en')} ${word}`;
    switch (shown?.group) {
      case 'Leaves':
        return told('leaves', bench.parameters.leaf_form === 'cards' ? 'cards' : '');
      case 'Blades':
        return told('blades');
      case 'Twigs':
        return [told('stems'), told('limbs'), told('twigs')].join(', ');
      case 'Roots':
        return told('roots');
      case 'Heads':
        return told('heads');
      case 'Habit':
        return c.stems === 1 ? '1 stem' : told('stems');
      case 'Crown':
        return bench.parameters.growth === 'orders' ? '' : told('first', 'main limbs');
    }
    return '';
  });
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

<div class="flex h-full flex-col">
  <TopBar>
    {#snippet crumb()}<span class="text-[12.5px] text-soft">Bench /</span>{/snippet}
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
        <button
          class="btn"
          disabled={!open.scene?.undo || !canDo}
          title={open.scene?.undo ? `Undo ${open.scene.undo}` : 'Nothing to undo'}
          onclick={() => open.edit({ op: 'undo' })}><Undo size={14} /> Undo</button
        >
        <button
          class="btn"
          disabled={!open.scene?.redo || !canDo}
          aria-label="redo"
          onclick={() => open.edit({ op: 'redo' })}><Redo size={14} /></button
        >
      {/if}
      <button class="btn" onclick={() => (shelfOpen = true)}>Shelf</button>
      {#if asset}<button class="btn" onclick={() => (exportOpen = true)}>Write a file…</button>{/if}
      <button class="btn btn-go" onclick={back}>Back to {open.scene?.name ?? 'the scene'}</button>
      <Presence names={open.present} />
    {/snippet}
  </TopBar>
  {#if open.failure}
    <main class="flex flex-1 items-center justify-center">
      <div class="rounded border border-clay bg-leaf p-6" role="alert">
        <p>The asset could not be opened: {open.failure}.</p>
        <button class="btn btn-go mt-3" onclick={() => open.open()}>Try again</button>
      </div>
    </main>
  {:else if open.scene && !asset}
    <main class="flex flex-1 items-center justify-center">
      <div class="rounded border border-line bg-leaf p-6">
        <p>This asset is not in the scene any more.</p>
        <button class="btn btn-go mt-3" onclick={back}>Back to the scene</button>
      </div>
    </main>
  {:else if !asset}
    <p class="flex flex-1 items-center justify-center font-serif text-[18px]" role="status">Setting up the bench…</p>
  {:else}
    <div class="flex min-h-0 flex-1">
      <aside class="flex w-(--sheet) shrink-0 flex-col border-r border-line bg-leaf" aria-label="sheet of {asset.name}">
        <div class="px-[18px] pt-4">
          <input
            class="w-full truncate border-0 bg-transparent p-0 font-serif text-[20px] font-semibold focus:ring-0"
            aria-label="name of the asset"
            maxlength="80"
            {disabled}
            value={asset.name}
            onchange={(e) => {
              const name = (e.target as HTMLInputElement).value.trim();
              if (name) void open.edit({ op: 'asset', id: params.asset, name });
            }}
            onkeydown={(e) => e.key === 'Enter' && (e.target as HTMLInputElement).blur()}
          />
          <div class="mt-1 flex gap-2">
            {#if !disabled}<button class="btn" onclick={() => (presetsOpen = true)}>Start from a preset…</button>{/if}
            <button
              class="btn"
              title="Hold what is shown beside the draft, then go on changing"
              onclick={() =>
                bench.hold({ label: `as it was, seed ${bench.seed}`, parameters: bench.parameters, seed: bench.seed })}
              >Hold two side by side</button
            >
          </div>
          <nav
            class="mt-2.5 grid gap-x-1 gap-y-1 {stages.length > 5 ? 'grid-cols-5' : 'grid-flow-col'}"
            aria-label="stages of growth"
          >
            {#each stages as g (g.group)}
              <button
                class="border-b-2 px-0 pb-0.5 font-serif text-[12px] font-semibold {shown === g
                  ? 'border-moss'
                  : 'border-line text-soft hover:text-ink'}"
                aria-current={shown === g ? 'step' : undefined}
                onclick={() => (stage = g.group)}>{g.group}</button
              >
            {/each}
          </nav>
        </div>
        <div class="flex-1 overflow-y-auto px-[18px] pt-2 pb-5">
          {#if bench.failure}<p class="mb-2 rounded border border-clay px-2.5 py-1.5 text-clay" role="alert">
              {bench.failure}. The last good result stays.
            </p>{/if}
          {#each shown?.sections ?? [] as s, i (s.title)}
            {@const alive = s.rows.filter((r) => live(kind?.name ?? '', r, bench.parameters))}
            {#if alive.length}
              <section class={i ? 'rule mt-2.5 pt-2' : ''}>
                <div class="mb-1 flex items-baseline justify-between">
                  <h3 class="text-[14px]">{s.title || shown?.group}</h3>
                  <span class="text-[12px] text-soft">{s.title ? count(s.title) : groupCount}</span>
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
                        choices={(open.scene?.assets ?? []).filter((a) => a.kind === r.to)}
                        oninput={(v) => oninput(r.path, v)}
                        onchange={(v) => onchange(r.path, v)}
                      />
                    {/if}
                    {#if bench.tray === 'cousins' && ['slider', 'count', 'curve', 'color'].includes(r.control)}
                      {@const locked = bench.locked.has(r.path)}
                      <button
                        class="absolute top-1/2 -left-[17px] -translate-y-1/2 {locked
                          ? 'text-moss'
                          : 'text-soft opacity-40 hover:opacity-100'}"
                        aria-label="{locked ? 'unlock' : 'lock'} {r.title}"
                        aria-pressed={locked}
                        title={locked ? 'Stays as it is' : 'May vary; click to lock it'}
                        onclick={() => bench.lock(r.path)}
                        >{#if locked}<Lock size={12} />{:else}<LockOpen size={12} />{/if}</button
                      >
                    {/if}
                  </div>
                {/each}
              </section>
            {/if}
          {/each}
          {#if shown?.group === 'Leaf' && bench.parameters.leaf_asset}
            <p class="py-1 text-soft">
              The leaf is that of {open.asset(String(bench.parameters.leaf_asset))?.name ?? 'an asset that is missing'};
              choose “its own” under Leaves to shape another.
            </p>
          {/if}
          {#if shown?.group === (rows.some((r) => r.group === 'Skin') ? 'Skin' : rows.some((r) => r.group === 'Leaf') ? 'Leaf' : 'Colour')}
            <OwnImages
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
        </div>
      </aside>
      <div class="flex min-w-0 flex-1 flex-col">
        <BenchView
          {bench}
          stage={shown?.group ?? ''}
          aged={rows.some((r) => r.control === 'age')}
          {disabled}
          {oninput}
          {onchange}
          onlevel={(d) => {
            bench.detail = d;
            void bench.make();
          }}
        />
        <BenchTray
          {bench}
          {asset}
          {disabled}
          onpick={pick}
          oncousin={takeCousin}
          onkeep={keepVersion}
          onreturn={returnTo}
        />
      </div>
    </div>
  {/if}
</div>
{#if asset}
  <PresetDialog bind:open={presetsOpen} kind={asset.kind} title="Start from a preset" onchoose={takePreset} />
  <ExportDialog bind:open={exportOpen} {bench} {asset} />
{/if}
<Shelf bind:open={shelfOpen} scene={open} onopen={(id) => push(`/scene/${params.scene}/asset/${id}`)} />
