<script lang="ts">
  /** The ground as a file: which form, and what one must know to read it. */
  import { Alert, Button, Modal, Radio, Spinner } from 'flowbite-svelte';
  import { onDestroy } from 'svelte';
  import { said } from '../api/client';
  import { fileName, hand } from '../state/files';
  import { GROUND_FORMS, writeGround } from '../state/ground';

  let { open = $bindable(), scene, name }: { open: boolean; scene: string; name: string } = $props();
  let form = $state<string>('tif');
  let told = $state('');
  let failure = $state('');
  let writing = $state(false);
  let running = new AbortController();
  onDestroy(() => running.abort());

  async function write() {
    writing = true;
    told = failure = '';
    running = new AbortController();
    try {
      const [data, words] = await writeGround(scene, form, running.signal);
      hand(data, `${fileName(name, 'scene')} ground.${form}`);
      told = words;
    } catch (error) {
      if (!running.signal.aborted) failure = said(error);
    } finally {
      writing = false;
    }
  }
</script>

<Modal title="Write the ground" bind:open size="sm" class="bg-leaf text-ink" onclose={() => running.abort()}>
  <div class="space-y-2.5" role="radiogroup" aria-label="form of the file">
    {#each GROUND_FORMS as f (f.id)}
      <Radio bind:group={form} value={f.id} classes={{ label: 'items-start' }}>
        <span class="-mt-0.5"
          ><b class="font-medium">{f.title}</b><span class="block text-[12.5px] text-soft">{f.line}</span></span
        >
      </Radio>
    {/each}
  </div>
  {#if told}<p class="text-[12.5px]" role="status">Written: {told}.</p>{/if}
  {#if failure}<Alert role="alert">{failure}.</Alert>{/if}
  <div class="flex items-center justify-end gap-2">
    {#if writing}<Spinner size="5" /><Button color="alternative" onclick={() => running.abort()}>Cancel</Button>{/if}
    <Button color="primary" disabled={writing} onclick={write}>Write</Button>
  </div>
</Modal>
