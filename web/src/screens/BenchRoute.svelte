<script lang="ts">
  /** The bench of the asset in the address: another address opens another asset. */
  import Bench from './Bench.svelte';
  let { params }: { params: { scene: string; asset: string } } = $props();
</script>

{#key `${params.scene}/${params.asset}`}<Bench {params} />{/key}
