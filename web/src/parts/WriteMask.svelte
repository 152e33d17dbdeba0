<script lang="ts">
  /** Where the rule of a layer lets things stand, as an image. */
  import { Button } from 'flowbite-svelte';
  import { bytes, said } from '../api/client';
  import { app } from '../state/app.svelte';
  import { fileName, hand } from '../state/files';
  let { scene, layer, name }: { scene: string; layer: string; name: string } = $props();
  let writing = $state(false);

  async function write() {
    writing = true;
    try {
      const data = await bytes(`/api/scenes/${scene}/layers/${layer}/mask`);
      hand(new Blob([data], { type: 'image/png' }), `${fileName(name, 'layer')} mask.png`);
    } catch (error) {
      app.tell(said(error));
    }
    writing = false;
  }
</script>

<Button
  color="alternative"
  size="xs"
  disabled={writing}
  title="Where they may stand, as an image over the whole ground: white where all may"
  onclick={write}>Write as an image…</Button
>
