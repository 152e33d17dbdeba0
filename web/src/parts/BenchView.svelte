<script lang="ts">
  /** The turntable, with ruler, person and the ladder of levels. */
  import { onMount } from 'svelte';
  import { said } from '../api/client';
  import { app } from '../state/app.svelte';
  import { LEVELS, type BenchState } from '../state/bench.svelte';
  import { size } from '../state/values';
  import { Turntable, type Look } from '../view/turntable';

  let { bench, onlevel }: { bench: BenchState; onlevel: (detail: number) => void } = $props();
  let host: HTMLElement;
  let table = $state.raw<Turntable | null>(null);
  let frame = $state(0);
  let moving = $state(false);
  let look = $state<Look>('lit');
  let failure = $state('');
  let marks = $state.raw<{ metres: number; x: number; y: number }[]>([]);
  const facts = $derived(bench.made?.facts);
  const distances = $derived(bench.ladder[0]?.until ?? []);

  onMount(() => {
    try {
      table = new Turntable(host);
    } catch (error) {
      failure = `the picture cannot be drawn: ${said(error)}. Plough needs a browser with WebGL 2.`;
      return;
    }
    const t = table;
    bench.portraits = t.portraits;
    t.stage.onDrawn = (coarse) => {
      frame++;
      moving = coarse;
      marks = t.ruler();
    };
    (window as unknown as { plough: unknown }).plough = { stage: t.stage, table: t };
    return () => {
      bench.portraits = null;
      t.dispose();
    };
  });
  $effect(() => table?.setLight(app.dusk));
  $effect(() => {
    if (table && bench.made) table.show(bench.made.mesh, bench.made.facts.height, bench.made.facts.canopy_radius);
  });
  $effect(() => table?.setLook(look));
  function keys(event: KeyboardEvent) {
    const typing = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
    if (!typing && !event.ctrlKey && (event.key === 'f' || event.key === 'F' || event.key === 'Home')) {
      table?.frame();
      event.preventDefault();
    }
  }
  const from = (d: number) =>
    d === 0 ? 'near' : distances[d - 1] ? `${Math.round(distances[d - 1] ?? 0)} m` : LEVELS[d];
  const looks: [Look, string][] = [
    ['lit', 'Lit'],
    ['wireframe', 'Wireframe'],
    ['normals', 'Normals'],
  ];
</script>

<svelte:window onkeydown={keys} />
<section class="relative min-h-0 flex-1 overflow-hidden bg-moss-tint" aria-label="turntable">
  <div
    bind:this={host}
    class="absolute inset-0"
    data-frame={frame}
    data-loaded={bench.made !== null}
    data-moving={moving}
  ></div>
  <svg class="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
    {#if marks.length > 1}
      {@const [a, b] = [marks[0], marks.at(-1)]}
      <line x1={a?.x} y1={a?.y} x2={b?.x} y2={b?.y} stroke="#232b20" stroke-width="1.4" />
      {#each marks as m (m.metres)}
        <line x1={m.x - 6} y1={m.y} x2={m.x} y2={m.y} stroke="#232b20" stroke-width="1.4" />
        <text
          x={m.x - 10}
          y={m.y + 4}
          text-anchor="end"
          font-size="11"
          fill="#232b20"
          paint-order="stroke"
          stroke="#f4efdf"
          stroke-opacity="0.75"
          stroke-width="3">{m.metres} m</text
        >
      {/each}
    {/if}
  </svg>
  <div
    class="absolute top-3.5 left-3.5 flex overflow-hidden rounded-full border border-line bg-leaf/95 text-[12.5px]"
    role="group"
    aria-label="how it is shown"
  >
    {#each looks as [id, title] (id)}
      <button
        class="px-3 py-1 {look === id ? 'bg-[#232b20] text-[#faf7ee]' : ''}"
        aria-pressed={look === id}
        onclick={() => (look = id)}>{title}</button
      >
    {/each}
  </div>
  <div class="absolute top-3.5 right-3.5 flex gap-1.5" role="group" aria-label="levels of detail">
    {#each LEVELS as level, d (level)}
      <button
        class="rounded-md border px-2.5 py-1 text-left leading-tight {bench.detail === d
          ? 'border-2 border-moss bg-plate'
          : 'border-line bg-leaf/95'}"
        aria-pressed={bench.detail === d}
        aria-label="level {level}: {bench.ladder[d]?.triangles ?? 'unknown'} triangles, from {from(d)}"
        onclick={() => onlevel(d)}
      >
        <span class="block font-serif text-[12.5px] font-semibold">{from(d)}</span>
        <span class="text-[11px] text-soft tabular-nums"
          >{bench.ladder[d] ? `${bench.ladder[d]?.triangles.toLocaleString('en')} tri` : '…'}</span
        >
      </button>
    {/each}
  </div>
  <div
    class="absolute bottom-3 left-3.5 rounded-md bg-[#232b20]/85 px-3 py-1.5 text-[12px] text-[#faf7ee] tabular-nums"
    data-triangles={facts?.triangles ?? 0}
  >
    {#if facts}{facts.triangles.toLocaleString('en')} triangles · {facts.vertices.toLocaleString('en')} vertices · {size(
        facts.bytes,
      )} · {facts.height.toFixed(2)} m high{:else}growing…{/if}
  </div>
  <div
    class="absolute right-4 bottom-3 text-[11.5px] text-[#232b20]"
    style:text-shadow="0 0 4px #faf7ee, 0 0 4px #faf7ee"
  >
    the figure is 1.8 m tall
  </div>
  {#if failure}<p
      class="absolute inset-x-20 top-20 rounded border border-clay bg-leaf px-4 py-2 text-clay"
      role="alert"
    >
      {failure}
    </p>{/if}
</section>
