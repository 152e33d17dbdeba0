<script lang="ts">
  /** The scene in the address: its board, and on demand the bench of one of its assets, while the board is kept as it was. */
  import type { SceneStore } from '../state/sceneStore.svelte';
  import Board from './Board.svelte';
  let { params }: { params: { scene: string; asset?: string } } = $props();
  let visited = $state('');
  let open = $state.raw<SceneStore | null>(null); // of the board
  const bench = () => import('./Bench.svelte');
  setTimeout(() => void bench(), 5000); // it lies ready
  const away = $derived(Boolean(params.asset));
  $effect(() => {
    if (!away) visited = params.scene;
  });
</script>

{#key params.scene}
  {#if !away || visited === params.scene}<Board {params} {away} onopen={(store) => (open = store)} />{/if}
{/key}
{#if params.asset}
  {#await bench() then { default: Bench }}
    {#key `${params.scene}/${params.asset}`}<Bench
        params={{ scene: params.scene, asset: params.asset }}
        scene={open?.id === params.scene ? open : null}
      />{/key}
  {/await}
{/if}
