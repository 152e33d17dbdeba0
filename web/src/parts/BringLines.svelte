<script lang="ts">
  /** Lines and polygons of a GeoJSON file become paths and areas. */
  import { Checkbox, Spinner } from 'flowbite-svelte';
  import { bytes, said } from '../api/client';
  import FileButton from './FileButton.svelte';
  let { scene, onbrought }: { scene: string; onbrought: () => Promise<void> } = $props();
  let degrees = $state(false);
  let reading = $state(false);
  let told = $state<string[]>([]);
  let failure = $state('');

  async function read(file: File) {
    reading = true;
    failure = '';
    told = [];
    try {
      const body = new FormData();
      body.append('file', file);
      const answer = await bytes(`/api/scenes/${scene}/geojson?degrees=${degrees}`, { method: 'POST', body });
      const made = JSON.parse(new TextDecoder().decode(answer)) as { layers: string[]; told: string[] };
      const n = made.layers.length;
      told = [`${n} ${n === 1 ? 'layer was' : 'layers were'} added`, ...made.told];
      await onbrought();
    } catch (error) {
      failure = `${file.name}: ${said(error)}`;
    }
    reading = false;
  }
</script>

<section class="rule mt-2 px-3 pt-2.5" aria-label="from a file">
  <h3 class="font-serif text-[15px] font-semibold">Paths and areas from a file</h3>
  <div class="mt-1.5 flex flex-wrap items-center gap-3">
    <FileButton accept=".geojson,.json" label="GeoJSON to bring in" disabled={reading} onfile={read}
      >GeoJSON…</FileButton
    >
    <Checkbox bind:checked={degrees}>Its coordinates are degrees</Checkbox>
    {#if reading}<Spinner size="4" />{/if}
  </div>
  {#each told as line (line)}<p class="mt-1 text-[12.5px] text-soft" role="status">{line}.</p>{/each}
  {#if failure}<p class="mt-1 text-[12.5px] text-clay" role="alert">{failure}.</p>{/if}
</section>
