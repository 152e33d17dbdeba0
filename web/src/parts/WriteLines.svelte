<script lang="ts">
  /** All paths and areas of the scene as a file. */
  import { Button } from 'flowbite-svelte';
  import { bytes, said } from '../api/client';
  import { app } from '../state/app.svelte';
  import { fileName, hand } from '../state/files';
  let { scene, name }: { scene: string; name: string } = $props();
  let writing = $state(false);

  async function write() {
    writing = true;
    try {
      const data = await bytes(`/api/scenes/${scene}/geojson`);
      hand(new Blob([data], { type: 'application/geo+json' }), `${fileName(name, 'scene')} lines.geojson`);
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
  title="All paths and areas of the scene, in metres east and north of the middle of the map"
  onclick={write}>Write GeoJSON…</Button
>
