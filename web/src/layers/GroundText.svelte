<script lang="ts">
  /** The ground in words, ways to begin it, and the height map that it is made from. */
  import { Button, Spinner } from 'flowbite-svelte';
  import { createQuery } from '@tanstack/svelte-query';
  import { onDestroy } from 'svelte';
  import { said, type Values } from '../api/client';
  import BrushPanel from '../parts/BrushPanel.svelte';
  import GroundClasses from '../parts/GroundClasses.svelte';
  import FileButton from '../parts/FileButton.svelte';
  import LibraryDialog from '../parts/LibraryDialog.svelte';
  import WaysDialog from '../parts/WaysDialog.svelte';
  import WriteGround from '../parts/WriteGround.svelte';
  import { groundText, GROUND_FILES, ofTaken, readGround, type Begun } from '../state/ground';
  import { fileQuery, libraryQuery } from '../state/queries';
  import type { GroundClass } from '../state/classes';
  import { choicesOf, type PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();
  const p = $derived(layer.parameters);
  const fromFile = $derived(p.made_from === 'heights' || p.made_from === 'mesh');
  const file = $derived(String(p.made_from === 'heights' ? p.source : p.made_from === 'mesh' ? p.mesh : ''));
  const named = createQuery(() => fileQuery(file));
  const library = createQuery(libraryQuery);
  const classes = $derived((p.classes ?? []) as GroundClass[]);
  const surface = $derived(open.view(layer.id)?.surface);
  let waysOpen = $state(false);
  let libraryOpen = $state(false);
  let writeOpen = $state(false);
  let reading = $state(false);
  let told = $state('');
  let failure = $state('');
  let running = new AbortController();
  onDestroy(() => running.abort());

  // a way names what differs from the defaults; the size stays as it is
  const KEPT = ['size', 'resolution', 'seed'];
  const fresh = $derived(
    Object.fromEntries(rows.filter((r) => !KEPT.includes(r.path)).map((r) => [r.path, r.default])),
  );
  /** Make another ground of it, and look at it whole. */
  async function change(parameters: Values) {
    if (await open.edit({ op: 'layer', id: layer.id, parameters })) open.reframe = true;
  }

  function begin(begun: Begun | null) {
    if (!begun) return;
    told = begun.told;
    failure = '';
    void change(begun.parameters);
  }

  async function read(files: File[]) {
    reading = true;
    failure = told = '';
    running = new AbortController();
    try {
      begin(await readGround(files, running.signal));
    } catch (error) {
      if (!running.signal.aborted) failure = `${files[0]?.name}: ${said(error)}`;
    } finally {
      reading = false;
    }
  }
</script>

<p class="font-serif text-[17px] leading-[1.6]">{groundText(p)}</p>
<div class="mt-2 flex flex-wrap gap-1.5">
  {#if !disabled}
    <Button color="alternative" size="xs" onclick={() => (waysOpen = true)}>Begin with…</Button>
    {#if !fromFile}
      <FileButton accept={GROUND_FILES} label="height map or mesh to bring in" disabled={reading} onfiles={read}
        >From a file…</FileButton
      >
    {/if}
  {/if}
  <Button color="alternative" size="xs" onclick={() => (writeOpen = true)}>Write the ground…</Button>
</div>
{#if fromFile}
  <div class="mt-2 flex items-center gap-1.5">
    <span class="min-w-0 flex-1 truncate" title={named.data?.file}>
      {named.data?.file ?? (named.error ? 'a file that is not here any more' : file ? '…' : 'no file yet')}
    </span>
    {#if !disabled}
      {#if library.data?.there}
        <Button color="alternative" size="xs" onclick={() => (libraryOpen = true)}>Library…</Button>
      {/if}
      <FileButton accept={GROUND_FILES} label="another height map or mesh" disabled={reading} onfiles={read}
        >{file ? 'Another…' : 'Choose a file…'}</FileButton
      >
    {/if}
  </div>
{/if}
{#if reading}
  <p class="mt-1.5 flex items-center gap-2 text-[12.5px]" role="status">
    <Spinner size="4" /> Reading… <Button color="alternative" size="xs" onclick={() => running.abort()}>Cancel</Button>
  </p>
{/if}
{#if told}<p class="mt-1.5 text-[12.5px] text-soft" role="status">{told}</p>{/if}
{#if failure}<p class="mt-1.5 text-[12.5px] text-clay" role="alert">{failure}.</p>{/if}

{#if !disabled}
  <BrushPanel
    strokes={p.made_from === 'mesh' ? null : ((p.strokes ?? []) as unknown[]).length}
    painted={((p.painted ?? []) as unknown[]).length}
    {classes}
    {surface}
    onclear={(path) => open.edit({ op: 'layer', id: layer.id, parameters: { [path]: [] } })}
  />
{/if}
<GroundClasses
  {classes}
  {surface}
  most={rows.find((r) => r.path === 'classes')?.most ?? 12}
  choices={(facet) => choicesOf(open, facet, layer.id)}
  {disabled}
  oninput={(v) => oninput('classes', v)}
  onchange={(v) => onchange('classes', v)}
/>

<WaysDialog
  bind:open={waysOpen}
  kind={layer.kind}
  title="Begin the ground with"
  onchoose={(way) => change({ ...fresh, ...way.parameters, made_from: 'noise' })}
/>
<WriteGround bind:open={writeOpen} scene={open.id} name={open.scene?.name ?? ''} />
<LibraryDialog
  bind:open={libraryOpen}
  scene={open.id}
  kinds={['heights', 'mesh']}
  ontaken={(taken) => begin(ofTaken(taken))}
/>
