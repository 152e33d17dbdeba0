<script lang="ts">
  /** How long a metre is in the middle of the picture, and how far the picture has developed. */
  let { metre, developed }: { metre: number /* pixels */; developed: number } = $props();

  const about = 110; // pixels that the bar may be long
  const metres = $derived.by(() => {
    const power = 10 ** Math.floor(Math.log10(about / metre));
    return [1, 2, 5, 10].map((m) => m * power).find((m) => m * metre >= about * 0.62) ?? power * 10;
  });
  const round = 2 * Math.PI * 5.5;
</script>

<div
  class="absolute right-4 bottom-3.5 text-right text-[11.5px] text-[#232b20]"
  style:text-shadow="0 0 4px #faf7ee, 0 0 4px #faf7ee"
  aria-label="scale: {metres} metres"
>
  <span class="inline-flex items-center gap-1.5">
    {#if developed < 1}
      <svg
        width="14"
        height="14"
        viewBox="0 0 14 14"
        role="img"
        aria-label="picture {Math.round(developed * 100)} % developed"
        fill="none"
        stroke="#232b20"
        stroke-width="1.5"
      >
        <circle cx="7" cy="7" r="5.5" stroke-opacity="0.25" />
        <circle cx="7" cy="7" r="5.5" stroke-dasharray="{developed * round} {round}" transform="rotate(-90 7 7)" />
      </svg>
    {/if}
    {metres >= 1 ? metres : metres.toFixed(1)} m
  </span>
  <div class="mt-0.5 flex h-[5px] border border-[#232b20] bg-[#faf7ee]" style:width="{metres * metre}px">
    <span class="w-1/2 bg-[#232b20]"></span>
  </div>
</div>
