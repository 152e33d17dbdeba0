<script lang="ts">
  import { onDestroy, untrack } from 'svelte';
  let { params }: { params: { scene: string; asset: string } } = $props();
  void untrack;
  onDestroy(() => {});
</script>
<p>{params.asset}</p>
