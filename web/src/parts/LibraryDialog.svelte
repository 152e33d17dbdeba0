<script lang="ts">
  /** Looks through an asset library, and takes an item from it. */
  import { Alert, Button, Modal, Search, Spinner } from 'flowbite-svelte';
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import { onDestroy } from 'svelte';
  import { api, said, take, type Found, type LibraryItem, type Taken } from '../api/client';
  import { megabytes, takeItem } from '../state/library';
  import PictureChoice from './PictureChoice.svelte';

  let {
    open = $bindable(),
    scene,
    kinds,
    ontaken,
  }: {
    open: boolean;
    scene: string;
    kinds: LibraryItem['kind'][];
    ontaken: (taken: Taken) => void;
  } = $props();
  const NAMES = { mesh: 'meshes', leaf: 'leaves', texture: 'textures', heights: 'height maps' } as const;
  let words = $state('');
  let only = $state<LibraryItem['kind'] | null>(null);
  let page = $state(1);
  let chosen = $state<LibraryItem | null>(null);
  let failure = $state('');
  let taking = $state(false);
  let running = new AbortController();
  onDestroy(() => running.abort());

  const asked = $derived({ search: words.trim(), kind: only ? [only] : kinds, page });
  const found = createQuery(() => ({
    queryKey: ['library items', asked],
    queryFn: ({ signal }) => take<Found>(api.GET('/api/library/items', { params: { query: asked }, signal })),
    enabled: open,
    staleTime: 60_000,
    placeholderData: keepPreviousData,
  }));

  async function bring(item: LibraryItem) {
    failure = '';
    taking = true;
    running = new AbortController();
    try {
      const taken = await takeItem(scene, item.id, running.signal);
      ontaken(taken);
      open = false;
    } catch (error) {
      if (!running.signal.aborted) failure = said(error);
    } finally {
      taking = false;
    }
  }
  function anew() {
    page = 1;
    chosen = null;
    failure = '';
  }
</script>

<Modal
  title={found.data ? found.data.library : 'Asset library'}
  bind:open
  size="xl"
  class="max-w-[1120px]! bg-leaf text-ink"
  onclose={() => running.abort()}
>
  <div class="flex items-center gap-2">
    <Search
      size="sm"
      class="w-64"
      required={false}
      placeholder="what it is, or is made of"
      aria-label="search the asset library"
      bind:value={words}
      oninput={anew}
    />
    {#if kinds.length > 1}
      {#each kinds as kind (kind)}
        <Button
          pill
          color="alternative"
          class="min-h-[24px] py-0 {only === kind ? 'bg-moss-tint' : ''}"
          aria-pressed={only === kind}
          onclick={() => {
            only = only === kind ? null : kind;
            anew();
          }}>{NAMES[kind]}</Button
        >
      {/each}
    {/if}
    <span class="flex-1 text-right text-[12.5px] text-soft" role="status">
      {#if found.isFetching}<Spinner size="4" />{/if}
      {found.data ? `${found.data.total} ${found.data.total === 1 ? 'item' : 'items'}` : ''}
    </span>
  </div>
  {#if found.error}
    <Alert role="alert">
      {said(found.error)}.
      <Button color="alternative" size="xs" class="ml-2" onclick={() => found.refetch()}>Ask again</Button>
    </Alert>
  {/if}
  <div class="grid h-[56vh] grid-cols-[1fr_270px] gap-5">
    <div class="flex min-h-0 flex-col">
      <div class="grid min-h-0 flex-1 auto-rows-min grid-cols-4 gap-2.5 overflow-y-auto p-0.5 pr-1">
        {#each found.data?.items ?? [] as item (item.id)}
          <PictureChoice
            picture={item.picture}
            title={item.title}
            label="look at {item.title}"
            chosen={chosen?.id === item.id}
            onclick={() => {
              chosen = item;
              failure = '';
            }}
          />
        {:else}
          {#if found.data}<p class="col-span-4 py-10 text-center text-soft">Nothing there is called so.</p>
          {:else if !found.error}<p class="col-span-4 py-10 text-center text-soft">Asking the asset library…</p>{/if}
        {/each}
      </div>
      {#if (found.data?.pages ?? 0) > 1}
        <div class="flex items-center justify-center gap-3 pt-2 text-[12.5px]">
          <Button color="alternative" size="xs" disabled={page <= 1} onclick={() => page--}>Back</Button>
          page {page} of {found.data?.pages}
          <Button color="alternative" size="xs" disabled={page >= (found.data?.pages ?? 0)} onclick={() => page++}
            >On</Button
          >
        </div>
      {/if}
    </div>
    <section class="flex min-h-0 flex-col border-l border-line pl-5 text-[12.5px]" aria-label="the item looked at">
      {#if chosen}
        {@const item = chosen}
        <img src={item.picture} alt="" class="portrait aspect-[10/9] w-full rounded-[5px] border border-line" />
        <h3 class="mt-2 font-serif text-[16px] font-semibold">{item.title}</h3>
        <p class="mt-0.5 min-h-0 overflow-y-auto">{item.text}</p>
        <dl class="mt-2 grid grid-cols-[62px_1fr] gap-y-0.5 border-t border-line pt-2">
          <dt class="text-soft">By</dt>
          <dd>{item.by}</dd>
          <dt class="text-soft">Licence</dt>
          <dd class="font-medium">{item.licence}</dd>
          <dt class="text-soft">Version</dt>
          <dd>{item.version}</dd>
          <dt class="text-soft">Files</dt>
          <dd>{item.files}, {megabytes(item.bytes)}</dd>
        </dl>
        <div class="mt-auto space-y-2 pt-3">
          {#if failure}<Alert role="alert">{failure}.</Alert>{/if}
          {#if taking}
            <p class="flex items-center gap-2"><Spinner size="5" /> Taking {megabytes(item.bytes)}…</p>
            <Button color="alternative" class="w-full" onclick={() => running.abort()}>Cancel</Button>
          {:else}
            <Button color="primary" class="w-full" onclick={() => bring(item)}>Take it</Button>
          {/if}
        </div>
      {:else}
        <p class="py-10 text-center text-soft">Choose one to see who made it, and on what terms.</p>
      {/if}
    </section>
  </div>
</Modal>
