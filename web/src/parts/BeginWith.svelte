<script lang="ts">
  /** Begins a layer again in one of the ways there are for its kind; where it stands and what it is of stay. */
  import { Button } from 'flowbite-svelte';
  import type { Layer, Row, Way } from '../api/client';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import { begun } from '../state/ways';
  import WaysDialog from './WaysDialog.svelte';

  let { open, layer, rows, called }: { open: SceneStore; layer: Layer; rows: Row[]; called: string } = $props();
  let choosing = $state(false);
  const begin = (way: Way) => void open.edit({ op: 'layer', id: layer.id, parameters: begun(rows, way) });
</script>

<Button color="alternative" size="xs" class="mt-2" onclick={() => (choosing = true)}>Begin with…</Button>
<WaysDialog bind:open={choosing} kind={layer.kind} title="Begin {called} with" onchoose={begin} />
