<script lang="ts">
  /** The blocks of a layer as those who build it read them, and as a file. */
  import {
    Alert,
    Button,
    Modal,
    PaginationNav,
    Spinner,
    Table,
    TableBody,
    TableBodyCell,
    TableBodyRow,
    TableHead,
    TableHeadCell,
  } from 'flowbite-svelte';
  import { createQuery, keepPreviousData } from '@tanstack/svelte-query';
  import Download from '@lucide/svelte/icons/download';
  import { api, bytes, said, take, type BlockPage, type Layer } from '../api/client';
  import { app } from '../state/app.svelte';
  import { fileName, hand } from '../state/files';
  import type { SceneStore } from '../state/sceneStore.svelte';

  let { open = $bindable(), layer, scene }: { open: boolean; layer: Layer; scene: SceneStore } = $props();
  const PAGE = 100;
  const HEADS = ['No.', 'Course', 'Laid as', 'East', 'Up', 'South', 'Turn', 'Long', 'High', 'Wide'];
  let page = $state(1);
  let writing = $state(false);

  const asked = $derived({ scene: scene.id, layer: layer.id, edits: scene.evaluation?.edits, page });
  const found = createQuery(() => ({
    queryKey: ['blocks', asked],
    queryFn: ({ signal }) =>
      take<BlockPage>(
        api.GET('/api/scenes/{scene_id}/layers/{layer_id}/blocks', {
          params: {
            path: { scene_id: scene.id, layer_id: layer.id },
            query: { first: (page - 1) * PAGE, many: PAGE },
          },
          signal,
        }),
      ),
    enabled: open,
    placeholderData: keepPreviousData,
  }));
  const pages = $derived(Math.max(1, Math.ceil((found.data?.count ?? 0) / PAGE)));
  $effect(() => {
    if (page > pages) page = pages; // fewer are left
  });

  async function write(format: 'csv' | 'json') {
    writing = true;
    try {
      const data = await bytes(`/api/scenes/${scene.id}/layers/${layer.id}/blocks/file?format=${format}`);
      const type = format === 'csv' ? 'text/csv' : 'application/json';
      hand(new Blob([data], { type }), `${fileName(layer.name, 'layer')} blocks.${format}`);
    } catch (error) {
      app.tell(said(error));
    }
    writing = false;
  }
  const metres = (v: number | undefined) => (v ?? 0).toFixed(3);
  const millimetres = (v: number | undefined) => Math.round(1000 * (v ?? 0)).toLocaleString('en');
</script>

<Modal title="The blocks of {layer.name}" bind:open size="lg" class="bg-leaf text-ink">
  {#if found.error}
    <Alert color="red">{said(found.error)}</Alert>
  {:else if !found.data}
    <Spinner size="6" />
  {:else if !found.data.count}
    <p>No block stands. Draw the run longer, or give it more courses.</p>
  {:else}
    <p class="text-[13px]" data-blocks={found.data.count}>
      {found.data.count.toLocaleString('en')} blocks in {found.data.courses} courses, from below and along the line. Places
      are the middle of a block, in metres; turn is of its length, clockwise from east; sizes in millimetres.
    </p>
    <Table class="text-right tabular-nums" hoverable striped>
      <TableHead class="bg-transparent">
        {#each HEADS as head, k (head)}
          <TableHeadCell class="px-2 py-1 {k === 2 ? 'text-left' : ''}">{head}</TableHeadCell>
        {/each}
      </TableHead>
      <TableBody>
        {#each found.data.blocks as b (b.number)}
          <TableBodyRow class="border-line bg-transparent">
            <TableBodyCell class="px-2 py-0.5">{b.number}</TableBodyCell>
            <TableBodyCell class="px-2 py-0.5">{b.course}</TableBodyCell>
            <TableBodyCell class="px-2 py-0.5 text-left">{b.role}</TableBodyCell>
            {#each b.middle as v, k (k)}<TableBodyCell class="px-2 py-0.5">{metres(v)}</TableBodyCell>{/each}
            <TableBodyCell class="px-2 py-0.5">{b.turn.toFixed(1)}°</TableBodyCell>
            {#each b.size as v, k (k)}<TableBodyCell class="px-2 py-0.5">{millimetres(v)}</TableBodyCell>{/each}
          </TableBodyRow>
        {/each}
      </TableBody>
    </Table>
  {/if}
  {#snippet footer()}
    <div class="flex w-full items-center justify-between gap-3">
      <span class="flex gap-2">
        <Button size="sm" color="alternative" disabled={writing || !found.data?.count} onclick={() => write('csv')}
          ><Download size={14} class="mr-1.5" />Table (CSV)</Button
        >
        <Button size="sm" color="alternative" disabled={writing || !found.data?.count} onclick={() => write('json')}
          ><Download size={14} class="mr-1.5" />With planes (JSON)</Button
        >
      </span>
      {#if pages > 1}
        <PaginationNav currentPage={page} totalPages={pages} visiblePages={3} onPageChange={(to) => (page = to)} />
      {/if}
    </div>
  {/snippet}
</Modal>
