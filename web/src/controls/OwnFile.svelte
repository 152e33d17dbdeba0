<script lang="ts">
  /** A file that something is made from: what it was called, and another in its place. */
  import { Spinner } from 'flowbite-svelte';
  import { onDestroy } from 'svelte';
  import { createQuery } from '@tanstack/svelte-query';
  import { said, type Row } from '../api/client';
  import FileButton from '../parts/FileButton.svelte';
  import { fileQuery } from '../state/queries';
  import { IMAGES, readHeights } from '../state/ground';
  import { ACCEPTED, readMeshes } from '../state/meshes';

  let {
    row,
    value,
    disabled,
    onchange,
  }: { row: Row; value: string; disabled: boolean; onchange: (v: unknown) => void } = $props();
  const told = createQuery(() => fileQuery(value));
  const image = $derived(row.control === 'image');
  let failure = $state('');
  let reading = $state(false);
  let running = new AbortController();
  onDestroy(() => running.abort());

  async function read(files: File[], signal: AbortSignal): Promise<string> {
    const [file] = files;
    if (image) return file ? (await readHeights(file, signal)).hash : value;
    const [first] = await readMeshes(files, signal);
    if (!first || first.error) throw new Error(first?.error ?? 'nothing was read');
    return first.hash;
  }

  async function replace(files: File[]) {
    failure = '';
    reading = true;
    running = new AbortController();
    try {
      onchange(await read(files, running.signal));
    } catch (error) {
      if (!running.signal.aborted) failure = said(error);
    } finally {
      reading = false;
    }
  }
</script>

<div class="py-[4px]" data-field={row.path} title={row.help || undefined}>
  <div class="flex items-center gap-2.5">
    <span class="w-[98px] shrink-0 leading-tight">{row.title}</span>
    <span class="min-w-0 flex-1 truncate" title={told.data?.file}>
      {told.data?.file ?? (told.error ? 'not here any more' : value ? '…' : 'none yet')}
    </span>
    {#if reading}<Spinner size="4" />{/if}
    {#if !disabled}
      <FileButton
        accept={image ? IMAGES : ACCEPTED}
        label={image ? 'an image for this' : 'another file for this mesh'}
        disabled={reading}
        onfiles={replace}>{value ? 'Another…' : 'Choose…'}</FileButton
      >
    {/if}
  </div>
  {#if failure}<p class="mt-1 text-[12px] text-clay" role="alert">{failure}</p>{/if}
</div>
