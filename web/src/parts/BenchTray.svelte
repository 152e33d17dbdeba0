<script lang="ts">
  /** The tray: eight seeds, eight cousins, or the versions that were kept. */
  import { Alert, Button, ButtonToggle, ButtonToggleGroup, Input, Range, ToolbarButton } from 'flowbite-svelte';
  import Check from '@lucide/svelte/icons/check';
  import FacadeTray from './FacadeTray.svelte';
  import Columns from '@lucide/svelte/icons/columns-2';
  import type { Asset, Cousin, Revision } from '../api/client';
  import type { BenchState, Tray } from '../state/bench.svelte';
  import { app } from '../state/app.svelte';
  import { ago } from '../state/values';

  let {
    bench,
    asset,
    versions,
    disabled,
    onpick,
    oncousin,
    onkeep,
    onreturn,
    oninput,
    onchange,
  }: {
    bench: BenchState;
    asset: Asset;
    versions: Revision[] | undefined; // undefined until they are known
    disabled: boolean;
    onpick: (seed: number, add: boolean) => void;
    oncousin: (cousin: Cousin) => void;
    onkeep: (note: string) => Promise<void>;
    onreturn: (revision: Revision) => void;
    oninput: (path: string, value: unknown) => void;
    onchange: (path: string, value: unknown) => void;
  } = $props();
  const kept = $derived(asset.seeds);
  const faced = $derived(Boolean(bench.made?.facts.faces.length));
  const titles = $derived<[Tray, string][]>([
    ...(faced ? ([['faces', 'Elevation']] as [Tray, string][]) : []),
    ...(app.seeded(asset.kind)
      ? ([
          ['seeds', 'Seeds'],
          ['cousins', 'Cousins'],
        ] as [Tray, string][])
      : []),
    ['versions', 'Versions'],
  ]);
  let note = $state('');
  let keeping = $state(false);

  function open(tray: Tray) {
    bench.tray = tray;
    if (tray === 'seeds') void bench.fillTray();
    if (tray === 'cousins' && !bench.cousins.length) void bench.findCousins();
  }
  async function keep() {
    keeping = true;
    await onkeep(note.trim());
    note = '';
    keeping = false;
  }
  const frame = 'relative flex h-(--tray) flex-col overflow-hidden rounded-[5px] border';
</script>

{#snippet beside(
  label: string,
  what: () => { parameters: Asset['parameters']; seed: number; images?: Asset['images'] },
)}
  <ToolbarButton
    class="absolute top-1 left-1 bg-leaf/90 text-slate opacity-0 group-hover:opacity-100 focus:opacity-100"
    aria-label="hold {label} beside"
    title="Hold it beside the draft"
    onclick={() => bench.hold({ label, ...what() })}><Columns size={16} /></ToolbarButton
  >
{/snippet}

<section class="shrink-0 border-t border-line bg-strip px-4 pt-2 pb-3" aria-label="tray">
  <div class="mb-2 flex h-[30px] items-center gap-3">
    <ButtonToggleGroup
      aria-label="what the tray holds"
      value={bench.tray}
      size="sm"
      onSelect={(id) => open(id as Tray)}
    >
      {#each titles as [id, title] (id)}<ButtonToggle value={id}>{title}</ButtonToggle>{/each}
    </ButtonToggleGroup>
    {#if bench.tray === 'seeds'}
      <span class="flex-1 truncate text-[12px] text-soft"
        >same numbers, other seeds{disabled ? '' : ' · click to look, shift-click to keep as a variant'}</span
      >
      <span class="text-[12px] text-soft"
        >{kept.length} kept: {kept.slice(0, 6).join(', ')}{kept.length > 6 ? '…' : ''}</span
      >
      <Button
        color="alternative"
        onclick={() => {
          bench.seedsFrom += 8;
          void bench.fillTray();
        }}>Another eight</Button
      >
    {:else if bench.tray === 'cousins'}
      <span class="flex-1 truncate text-[12px] text-soft"
        >numbers varied around these · {bench.locked.size
          ? `${bench.locked.size} locked`
          : 'lock what is to stay in the sheet'} · click takes one</span
      >
      <label class="flex items-center gap-2 text-[12px] text-soft"
        >near<Range
          size="sm"
          class="w-28"
          min="0.05"
          max="1"
          step="0.05"
          aria-label="how far the cousins go"
          bind:value={bench.strength}
          onchange={() => bench.findCousins()}
        />far</label
      >
      <Button
        color="alternative"
        onclick={() => {
          bench.walk += 1;
          void bench.findCousins();
        }}>Walk on</Button
      >
    {:else if bench.tray === 'faces'}
      <span class="flex-1 truncate text-[12px] text-soft"
        >every face from outside, to scale{disabled ? '' : ' · choose a cell, drag the joints of its face'}</span
      >
    {:else}
      <span class="flex-1 truncate text-[12px] text-soft"
        >every version keeps its numbers and a picture · click returns to one</span
      >
      {#if !disabled}
        <Input
          class="w-52!"
          maxlength={120}
          placeholder="what is good about it"
          aria-label="note on this version"
          bind:value={note}
          onkeydown={(e) => e.key === 'Enter' && keep()}
        />
        <Button color="primary" disabled={keeping} onclick={keep}>{keeping ? 'Keeping…' : 'Keep this version'}</Button>
      {/if}
    {/if}
  </div>
  {#if bench.trayFailure}
    <Alert class="flex h-(--tray) items-center gap-3" role="alert">
      {bench.trayFailure}.
      <Button color="alternative" onclick={() => (bench.tray === 'cousins' ? bench.findCousins() : bench.fillTray())}
        >Try again</Button
      >
    </Alert>
  {:else if bench.tray === 'faces'}
    <FacadeTray {bench} {disabled} {oninput} {onchange} />
  {:else if bench.tray === 'seeds'}
    <div class="grid grid-cols-8 gap-2.5">
      {#each bench.seeds as t (t.seed)}
        {@const on = bench.seed === t.seed}
        <div class="group relative">
          <button
            class="{frame} w-full items-center justify-end pb-1 {on
              ? 'border-2 border-moss bg-plate'
              : 'border-line bg-leaf hover:border-moss'}"
            aria-pressed={on}
            data-seed={t.seed}
            onclick={(e) => onpick(t.seed, e.shiftKey)}
          >
            {#if t.picture}<img
                src={t.picture}
                alt=""
                class="min-h-0 w-full flex-1 portrait rounded-t-[4px]"
              />{:else}<span class="flex flex-1 items-center text-[11px] text-soft">growing…</span>{/if}
            <span class="pt-1 text-[11.5px]"
              >seed {t.seed}{#if kept.includes(t.seed)}<span class="sr-only">, kept</span>{/if}</span
            >
          </button>
          {#if kept.includes(t.seed)}<span
              class="absolute top-1 right-1 rounded-full bg-moss p-0.5 text-on-moss"
              title="kept as a variant"><Check size={11} strokeWidth={3} /></span
            >{/if}
          {@render beside(`seed ${t.seed}`, () => ({ parameters: bench.parameters, seed: t.seed }))}
        </div>
      {/each}
    </div>
  {:else if bench.tray === 'cousins'}
    <div class="grid grid-cols-8 gap-2.5 {bench.walking ? 'opacity-60' : ''}" aria-busy={bench.walking}>
      {#each bench.cousins as cousin, k (cousin.picture)}
        <div class="group relative">
          <button
            class="{frame} w-full border-line bg-leaf hover:border-moss"
            aria-label="take cousin {k + 1}"
            {disabled}
            onclick={() => oncousin(cousin)}
          >
            <img src={cousin.picture} alt="" class="portrait h-full w-full" />
          </button>
          {@render beside(`cousin ${k + 1}`, () => ({ parameters: cousin.parameters, seed: bench.seed }))}
        </div>
      {:else}
        <p class="col-span-8 flex h-(--tray) items-center justify-center text-[12.5px] text-soft" role="status">
          {bench.walking ? 'looking for eight cousins…' : 'no cousins yet'}
        </p>
      {/each}
    </div>
  {:else}
    <div class="flex gap-2.5 overflow-x-auto">
      {#each versions ?? [] as v (v.number)}
        <div class="group relative w-[calc(var(--tray)*1.27)] shrink-0">
          <button
            class="{frame} w-full items-stretch border-line bg-leaf text-left hover:border-moss"
            title="version {v.number} by {v.author}, {ago(v.at)}{v.note ? `: ${v.note}` : ''}"
            data-version={v.number}
            {disabled}
            onclick={() => onreturn(v)}
          >
            <img src={v.picture} alt="" class="portrait min-h-0 w-full flex-1" loading="lazy" />
            <span class="truncate px-1.5 py-0.5 text-[11px]"
              ><b>{v.number}</b> {v.note || v.author} <span class="text-soft">{ago(v.at)}</span></span
            >
          </button>
          {@render beside(`version ${v.number}`, () => ({
            parameters: v.parameters,
            seed: v.seeds[0] ?? 1,
            images: v.images,
          }))}
        </div>
      {:else}
        <p class="flex h-(--tray) flex-1 items-center justify-center text-[12.5px] text-soft" role="status">
          {!versions
            ? 'looking up the versions…'
            : 'No version is kept yet. Keep one before a bold change: you can return to it at any time.'}
        </p>
      {/each}
    </div>
  {/if}
</section>
