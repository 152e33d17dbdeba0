<script lang="ts">
  import Redo from '@lucide/svelte/icons/redo-2';
  import Undo from '@lucide/svelte/icons/undo-2';
  import { onDestroy, untrack } from 'svelte';
  import { push } from 'svelte-spa-router';
  import type { Values } from '../api/client';
  import Field from '../controls/Field.svelte';
  import BenchView from '../parts/BenchView.svelte';
  import Presence from '../parts/Presence.svelte';
  import SeedTray from '../parts/SeedTray.svelte';
  import TopBar from '../parts/TopBar.svelte';
  import { app } from '../state/app.svelte';
  import { BenchState } from '../state/bench.svelte';
  import { OpenScene } from '../state/scene.svelte';
  import { grouped, read, same } from '../state/values';

  let { params }: { params: { scene: string; asset: string } } = $props();
  const open = untrack(() => new OpenScene(params.scene, false));
  const bench = new BenchState();
  let stage = $state('');
  let settle = 0;
  const asset = $derived(open.asset(params.asset));
  const kind = $derived(app.assets.find((k) => k.name === asset?.kind));
  const stages = $derived(grouped(kind?.parameters ?? []));
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
  // the tray's pictures are drawn once there is a view to draw them
  $effect(() => {
    if (bench.portraits) untrack(() => bench.kind && void bench.fillTray());
  });

  // what is kept, from whoever changed it, comes onto the bench
  $effect(() => {
    if (!asset || !kind) return;
    const { parameters, seeds } = asset;
    untrack(() => {
      const first = !bench.kind;
      if (!first && same(parameters, bench.parameters)) return;
      bench.take(kind.name, parameters, first ? (seeds[0] ?? 1) : bench.seed);
      if (first) bench.trayFrom = Math.floor(((seeds[0] ?? 1) - 1) / 8) * 8;
      if (first) stage = stages[0]?.group ?? '';
      refresh();
    });
  });

  function refresh(wait = 60) {
    void bench.make();
    clearTimeout(settle);
    settle = window.setTimeout(() => {
      void bench.measure();
      void bench.fillTray();
    }, wait);
  }

  function oninput(path: string, value: unknown) {
    bench.draft({ [path]: value });
  }

  function onchange(path: string, value: unknown) {
    const changes: Values = { [path]: value };
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

  function count(section: string): string {
    const c = bench.made?.facts.counts ?? {};
    const name = { 'First order': 'first', 'Second order': 'second', 'Third order': 'third' }[section];
    return name && c[name] !== undefined ? `${c[name].toLocaleString('en')} grown` : '';
  }
  const groupCount = $derived.by(() => {
    const c = bench.made?.facts.counts ?? {};
    if (shown?.group === 'Leaves') return `${(c.sprigs ?? 0).toLocaleString('en')} sprigs`;
    if (shown?.group === 'Blades') return `${(c.blades ?? 0).toLocaleString('en')} blades`;
    if (shown?.group === 'Habit') return `${c.stems ?? 1} ${c.stems === 1 ? 'stem' : 'stems'}`;
    return '';
  });

  async function back() {
    await push(`/scene/${params.scene}`);
  }

  function keys(event: KeyboardEvent) {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
      if (event.target instanceof HTMLInputElement) event.target.blur();
      event.preventDefault();
      if (open.canEdit) void open.edit({ op: event.shiftKey ? 'redo' : 'undo' });
    }
  }
</script>

<svelte:window onkeydown={keys} />
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
      <aside class="flex w-[356px] shrink-0 flex-col border-r border-line bg-leaf" aria-label="sheet of {asset.name}">
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
          <nav class="mt-2.5 flex gap-1" aria-label="stages of growth">
            {#each stages as g (g.group)}
              <button
                class="flex-auto border-b-2 px-0.5 pb-1 font-serif text-[12.5px] font-semibold {shown === g
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
            <section class={i ? 'rule mt-2.5 pt-2' : ''}>
              <div class="mb-1 flex items-baseline justify-between">
                <h3 class="text-[14px]">{s.title || shown?.group}</h3>
                <span class="text-[12px] text-soft">{s.title ? count(s.title) : groupCount}</span>
              </div>
              {#each s.rows as r (r.path)}
                <Field
                  row={r}
                  value={read(bench.parameters, r.path)}
                  {disabled}
                  oninput={(v) => oninput(r.path, v)}
                  onchange={(v) => onchange(r.path, v)}
                />
              {/each}
            </section>
          {/each}
        </div>
      </aside>
      <div class="flex min-w-0 flex-1 flex-col">
        <BenchView
          {bench}
          onlevel={(d) => {
            bench.detail = d;
            void bench.make();
          }}
        />
        <SeedTray
          {bench}
          kept={asset.seeds}
          {disabled}
          onpick={pick}
          onanother={() => {
            bench.trayFrom += 8;
            void bench.fillTray();
          }}
        />
      </div>
    </div>
  {/if}
</div>
