<script lang="ts">
  /** The scene from above, tile by tile: the darker, the more lies in it. North is up. */
  import { heavy, type WeightTile } from '../state/releases';
  import { big } from '../state/values';

  let { tiles, side }: { tiles: WeightTile[]; side: number } = $props();
  let shown = $state<WeightTile | null>(null);
  const west = $derived(Math.min(...tiles.map((t) => t[0])));
  const north = $derived(Math.min(...tiles.map((t) => t[1])));
  const wide = $derived(Math.max(...tiles.map((t) => t[0])) - west + 1);
  const tall = $derived(Math.max(...tiles.map((t) => t[1])) - north + 1);
  const most = $derived(Math.max(...tiles.map((t) => t[3]), 1));
  const way = (tiles: number, more: string, less: string) => `${Math.abs(tiles * side)} m ${tiles < 0 ? less : more}`;
  const words = ([x, z, instances, triangles]: WeightTile) =>
    `${way(x + 0.5, 'east', 'west')}, ${way(z + 0.5, 'south', 'north')}: ${big(triangles)} triangles, ${instances.toLocaleString('en')} instances`;
</script>

<figure class="my-2" aria-label="weight by tile">
  <svg
    viewBox="0 0 {wide} {tall}"
    class="mx-auto block max-h-52 w-full rounded bg-paper"
    role="img"
    aria-label="triangles by tile, north up; at most {big(most)} in one"
    onpointerleave={() => (shown = null)}
  >
    {#each tiles as t (`${t[0]} ${t[1]}`)}
      <rect
        role="presentation"
        x={t[0] - west + 0.03}
        y={t[1] - north + 0.03}
        width="0.94"
        height="0.94"
        rx="0.06"
        fill={heavy(t[3] / most)}
        stroke={shown === t ? 'var(--ink)' : 'none'}
        stroke-width="0.06"
        onpointerenter={() => (shown = t)}><title>{words(t)}</title></rect
      >
    {/each}
  </svg>
  <figcaption class="mt-1 text-[12px] text-soft">
    {shown ? words(shown) : `Triangles from close by, in tiles of ${side} m; the heaviest has ${big(most)}.`}
  </figcaption>
</figure>
