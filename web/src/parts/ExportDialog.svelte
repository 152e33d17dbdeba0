<script lang="ts">
  /** The asset as a file. */
  import { Alert, Button, Checkbox, Input, Label, Modal, Radio } from 'flowbite-svelte';
  import Download from '@lucide/svelte/icons/download';
  import { bytes, said, type Asset } from '../api/client';
  import type { BenchState } from '../state/bench.svelte';
  import { fileName, hand } from '../state/files';
  import { size } from '../state/values';

  let {
    open = $bindable(),
    bench,
    asset,
    aged,
  }: { open: boolean; bench: BenchState; asset: Asset; aged: boolean } = $props(); // `aged`: its kind has an age
  type Format = 'glb' | 'usd' | 'obj' | 'maps' | 'film' | 'recipe';
  const formats: [Format, string, string][] = [
    ['glb', 'GLB', 'glTF 2.0 with all levels of detail, colliders, wind channels'],
    ['usd', 'OpenUSD', 'usdc with textures; every seed a variant of one set'],
    ['obj', 'OBJ', 'Wavefront OBJ with MTL and textures, the nearest level'],
    [
      'maps',
      'Textures',
      'all maps as PNG: albedo with alpha, normal, roughness, translucency, the card’s depth, masks of wear and moss',
    ],
    ['film', 'Growth film', 'glTF morph targets over one topology, from sapling to the present age'],
    ['recipe', 'Recipe', 'JSON: kind, numbers, seeds; can be read in again'],
  ];
  let format = $state<Format>('glb');
  let all = $state(true);
  let textures = $state(true);
  let steps = $state(12);
  let seconds = $state(6);
  let busy = $state(false);
  let done = $state('');
  let failure = $state('');
  let running = new AbortController();
  const choices = $derived(formats.filter(([id]) => id !== 'film' || aged));

  async function write() {
    busy = true;
    failure = done = '';
    running = new AbortController();
    const name = fileName(asset.name, 'asset');
    try {
      const body = {
        kind: bench.kind,
        name,
        parameters: bench.parameters,
        seeds: all && format !== 'film' && format !== 'maps' ? asset.seeds : [bench.seed],
        format,
        textures,
        steps,
        seconds,
        scene: bench.scene,
        images: bench.images,
      };
      const data = await bytes('/api/bench/export', {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify(body),
        signal: running.signal,
      });
      const file =
        { glb: `${name}.glb`, film: `${name}-growth.glb`, recipe: `${name}.json` }[format as string] ??
        `${name}-${format}.zip`;
      hand(new Blob([data]), file);
      done = `${file}, ${size(data.byteLength)}`;
    } catch (error) {
      if (!running.signal.aborted) failure = said(error);
    }
    busy = false;
  }
</script>

<Modal title="Write {asset.name} to a file" bind:open size="md" class="bg-leaf text-ink">
  <div class="flex flex-col gap-1" role="radiogroup" aria-label="format">
    {#each choices as [id, title, what] (id)}
      <Radio
        name="format"
        value={id}
        bind:group={format}
        classes={{
          label: `cursor-pointer items-center gap-1 rounded border px-3 py-2 ${format === id ? 'border-moss bg-moss-tint' : 'border-line bg-plate'}`,
        }}
      >
        <span class="w-24 shrink-0 font-serif font-semibold">{title}</span><span class="text-[12.5px] text-soft"
          >{what}</span
        >
      </Radio>
    {/each}
  </div>
  <div class="flex flex-wrap items-center gap-x-5 gap-y-2 text-[13px]">
    {#if format === 'film'}
      <Label class="flex items-center gap-2"
        >Shapes <Input type="number" class="w-16!" min="2" max="60" bind:value={steps} /></Label
      >
      <Label class="flex items-center gap-2"
        >Seconds <Input type="number" class="w-16!" min="0.5" max="120" step="0.5" bind:value={seconds} /></Label
      >
    {:else if format !== 'maps'}
      <Checkbox bind:checked={all}>all {asset.seeds.length} kept seeds</Checkbox>
    {/if}
    {#if format !== 'recipe' && format !== 'maps'}
      <Checkbox bind:checked={textures}>with textures</Checkbox>
    {/if}
  </div>
  {#if failure}<Alert role="alert">It could not be written: {failure}.</Alert>{/if}
  {#if done}<p class="text-moss" role="status">Written: {done}</p>{/if}
  <div class="flex gap-2">
    <Button color="primary" disabled={busy} onclick={write}><Download size={14} /> {busy ? 'Writing…' : 'Write'}</Button
    >
    {#if busy}<Button color="alternative" onclick={() => running.abort()}>Stop</Button>{/if}
  </div>
</Modal>
