<script lang="ts">
  /** The board of the scene in the address: another address opens another scene. */
  import Board from './Board.svelte';
  let { params }: { params: { scene: string } } = $props();
</script>

{#key params.scene}<Board {params} />{/key}
