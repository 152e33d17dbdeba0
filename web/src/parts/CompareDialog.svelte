<script lang="ts">
  /** Two releases side by side: from the same viewpoint, one over the other, and what differs by layer, asset and weight. */
  import { Alert, Button, Label, Modal, Range, Select, Spinner } from 'flowbite-svelte';
  import { untrack } from 'svelte';
  import { api, said, take, type Compared } from '../api/client';
  import { layerTitles } from '../layers/kinds';
  import { CHANGES, placedWords, previousOf, valueWords, weightRow } from '../state/compare';
  import type { SceneStore } from '../state/sceneStore.svelte';

  let {
    open = $bindable(),
    store,
    release,
    viewpoint = '',
  }: { open: boolean; store: SceneStore; release: number; viewpoint?: string } = $props();

  const done = $derived(store.releases.filter((r) => r.state === 'done'));
  const [now, view] = untrack(() => [release, viewpoint]);
  let left = $state(untrack(() => String(previousOf(store.releases, now)?.number ?? now)));
  let right = $state(String(now));
  let part = $state(50);
  let found = $state.raw<Compared | null>(null);
  let failed = $state('');

  const of = (number: string) => done.find((r) => String(r.number) === number);
  const viewpoints = $derived([
    ...new Map([...(of(right)?.stills ?? []), ...(of(left)?.stills ?? [])].map((s) => [s.viewpoint, s.name])),
  ]);
  let from = $state(untrack(() => view || (viewpoints[0]?.[0] ?? '')));
  const still = (number: string) => of(number)?.stills.find((s) => s.viewpoint === from);
  const items = $derived(done.map((r) => ({ value: String(r.number), name: `Release ${r.number}` })));
  const [before, after] = $derived([still(left), still(right)]);
  const layers = $derived(found?.layers.filter((l) => l.change !== 'same') ?? []);
  const assets = $derived(found?.assets.filter((a) => a.change !== 'same') ?? []);
  const shown = $derived((found?.added.length ?? 0) + (found?.removed.length ?? 0) + (found?.moved.length ?? 0));

  $effect(() => {
    const path = { scene_id: store.id, number: Number(right), other: Number(left) };
    const mine = `${left} ${right}`;
    found = null;
    failed = '';
    take<Compared>(api.GET('/api/scenes/{scene_id}/releases/{number}/compare/{other}', { params: { path } })).then(
      (made) => mine === `${left} ${right}` && (found = made),
      (error: unknown) => mine === `${left} ${right}` && (failed = said(error)),
    );
  });

  function show() {
    store.marked = found;
    open = false;
  }
</script>

<Modal title="Compare releases" bind:open size="lg" class="bg-leaf text-ink" outsideclose>
  <div class="flex flex-wrap items-end gap-4">
    <div>
      <Label for="compare-left">Left</Label><Select id="compare-left" placeholder="" bind:value={left} {items} />
    </div>
    <div>
      <Label for="compare-right">Right</Label><Select id="compare-right" placeholder="" bind:value={right} {items} />
    </div>
    {#if viewpoints.length}
      <div class="flex-1">
        <Label for="compare-from">From</Label><Select
          id="compare-from"
          placeholder=""
          bind:value={from}
          items={viewpoints.map(([value, name]) => ({ value, name }))}
        />
      </div>
    {/if}
  </div>
  {#if before ?? after}
    <div class="relative aspect-video w-full overflow-hidden rounded-md bg-moss-tint">
      {#if after}<img class="absolute inset-0 size-full object-cover" src={after.picture} alt="release {right}" />{/if}
      {#if before}<img
          class="absolute inset-0 size-full object-cover"
          style:clip-path="inset(0 {100 - part}% 0 0)"
          src={before.picture}
          alt="release {left}"
        />{/if}
      {#if before && after}<span class="absolute inset-y-0 w-px bg-leaf" style:left="{part}%"></span>{/if}
      {#each [[left, before, 'left-2'], [right, after, 'right-2']] as const as [number, there, side] (side)}
        <span class="absolute bottom-2 rounded bg-[#232b20]/85 px-2 py-0.5 text-[12px] text-[#faf7ee] {side}"
          >{there ? `release ${number}` : `release ${number} has no still of it`}</span
        >
      {/each}
    </div>
    {#if before && after}<Range aria-label="where the two part" min="0" max="100" bind:value={part} />{/if}
  {/if}

  <section aria-label="what differs" data-compared={found ? `${found.before} ${found.after}` : ''}>
    <div class="mb-1 flex items-center justify-between gap-3">
      <h3 class="text-[14px]">What differs in release {right}</h3>
      <Button color="alternative" size="xs" disabled={!shown} onclick={show}>Show it in the view</Button>
    </div>
    {#if failed}<Alert role="alert">{failed}</Alert>
    {:else if !found}<p class="flex items-center gap-2 text-soft" role="status"><Spinner size="4" /> Comparing…</p>
    {:else if !layers.length && !assets.length}<p class="text-soft">
        Nothing: their layers and assets come to the same.
      </p>
    {:else}
      <table class="w-full text-[13px]">
        <tbody>
          {#each layers as l (l.id)}
            {@const titles = layerTitles(l.kind)}
            <tr class="border-b border-line align-top" data-layer={l.id}>
              <td class="w-40 py-1 pr-3 font-serif text-[15px]">{l.name}</td>
              <td class="py-1"
                >{[
                  CHANGES[l.change],
                  ...l.values.slice(0, 8).map((v) => valueWords(v, titles.get(v.path))),
                  l.values.length > 8 ? `${l.values.length - 8} more` : '',
                ]
                  .filter(Boolean)
                  .join('; ')}</td
              >
              <td class="py-1 pl-3 text-right text-soft tabular-nums">{placedWords(l)}</td>
            </tr>
          {/each}
          {#each assets as a (a.id)}
            <tr class="border-b border-line align-top" data-asset={a.id}>
              <td class="w-40 py-1 pr-3 font-serif text-[15px]">{a.name}</td>
              <td class="py-1"
                >{[CHANGES[a.change], ...a.values.slice(0, 8).map((v) => valueWords(v))].filter(Boolean).join('; ')}</td
              >
              <td class="py-1 pl-3 text-right text-soft tabular-nums"
                >{a.before === a.after
                  ? ''
                  : `${a.before.toLocaleString('en')} → ${a.after.toLocaleString('en')} triangles`}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    {/if}
  </section>

  {#if found}
    <section aria-label="weight">
      <h3 class="mb-1 text-[14px]">Weight</h3>
      <table class="w-full text-[13px] tabular-nums">
        <thead class="text-soft"
          ><tr
            ><th class="text-left font-normal"></th><th class="text-right font-normal">release {left}</th><th
              class="text-right font-normal">release {right}</th
            ><th></th></tr
          ></thead
        >
        <tbody>
          {#each found.weight.filter((w) => w.before || w.after) as w (w.what)}
            {@const [name, a, b, by] = weightRow(w)}
            <tr
              ><td class="py-0.5">{name}</td><td class="text-right">{a}</td><td class="text-right">{b}</td><td
                class="w-16 text-right {by.startsWith('+') ? 'text-clay' : 'text-moss'}">{by}</td
              ></tr
            >
          {/each}
        </tbody>
      </table>
    </section>
  {/if}
</Modal>
