<script lang="ts">
  /** The turntable, with ruler, person, handles, ways of looking, wind, age track and the ladder of levels. */
  import Wind from '@lucide/svelte/icons/wind';
  import { onMount } from 'svelte';
  import * as THREE from 'three';
  import { said } from '../api/client';
  import { app } from '../state/app.svelte';
  import { LEVELS, type BenchState, type Made } from '../state/bench.svelte';
  import { handlesOf, type Handle, type Point } from '../state/handles';
  import { keyring } from '../state/keys';
  import { size } from '../state/values';
  import { Turntable, type Look, type Subject } from '../view/turntable';
  import AgeTrack from './AgeTrack.svelte';
  import WindVane from './WindVane.svelte';

  let {
    bench,
    stage,
    aged,
    disabled,
    onlevel,
    oninput,
    onchange,
  }: {
    bench: BenchState;
    stage: string;
    aged: boolean; // the kind has an age
    disabled: boolean;
    onlevel: (detail: number) => void;
    oninput: (path: string, value: unknown) => void;
    onchange: (path: string, value: unknown) => void;
  } = $props();
  let host: HTMLElement;
  let table = $state.raw<Turntable | null>(null);
  let frame = $state(0);
  let moving = $state(false);
  let look = $state<Look>('lit');
  let windy = $state(false);
  let gale = $state({ azimuth: 250, speed: 4, gusts: 0.5 });
  let trueDistance = $state(false);
  let failure = $state('');
  let marks = $state.raw<{ metres: number; x: number; y: number }[]>([]);
  let dragged = $state<string | null>(null);
  const facts = $derived(bench.made?.facts);
  const [ink, halo] = $derived(app.dusk ? ['#f2ead6', '#2a251a'] : ['#232b20', '#f4efdf']);
  const held = $derived(bench.held);
  const shapes = $derived(handlesOf(bench.kind, stage, bench.parameters));

  const subject = (made: Made): Subject => ({
    mesh: made.mesh,
    height: made.facts.height,
    radius: made.facts.canopy_radius,
    collider: made.facts.collider,
  });

  onMount(() => {
    try {
      table = new Turntable(host);
    } catch (error) {
      failure = `the picture cannot be drawn: ${said(error)}. Plough needs a browser with WebGL 2.`;
      return;
    }
    const t = table;
    t.stage.onDrawn = (coarse) => {
      frame++;
      moving = coarse;
      marks = t.ruler();
    };
    (window as unknown as { plough: unknown }).plough = { stage: t.stage, table: t };
    return () => t.dispose();
  });
  $effect(() => table?.setLight(app.dusk));
  $effect(() => {
    void bench.id;
    table?.anew();
  });
  $effect(() => {
    if (table && bench.made) table.show(subject(bench.made));
  });
  $effect(() => table?.hold(held ? subject(held.made) : null));
  $effect(() => table?.setLook(look));
  $effect(() => table?.setWind(windy ? gale.speed : 0, gale.azimuth, gale.gusts));
  $effect(() => {
    const ranges = bench.made?.facts.ranges ?? {};
    table?.mark(bench.lit.map((name) => ranges[name]).filter((r) => r !== undefined));
  });
  $effect(() => {
    if (!trueDistance || !table) return;
    const from = bench.detail ? bench.ladder?.[bench.detail - 1]?.until : null;
    if (from) table.standAt(from);
    else table.frame();
  });
  // a renderer that is slow moves the leaves step by step, so that the wind is seen all the same
  $effect(() => {
    if (!windy || !table) return;
    const t = table;
    const timer = setInterval(() => t.stage.blow(0.12), 140);
    return () => clearInterval(timer);
  });

  $effect(() => keyring.bind({ frame: () => table?.frame(), whole: () => table?.frame() }));
  const from = (d: number) => {
    const until = d ? bench.ladder?.[d - 1]?.until : null;
    return d === 0 ? 'near' : until ? `${until < 10 ? until.toFixed(1) : Math.round(until)} m` : (LEVELS[d] ?? '');
  };
  const looks: [Look, string][] = [
    ['lit', 'Lit'],
    ['wireframe', 'Wireframe'],
    ['normals', 'Normals'],
    ['checker', 'Texture check'],
    ['sway', 'Channel: sway'],
    ['phase', 'Channel: limb phase'],
    ['flutter', 'Channel: leaf flutter'],
    ['occlusion', 'Channel: occlusion'],
    ['tint', 'Channel: tint'],
    ['collider', 'Collider'],
    ['overdraw', 'Overdraw'],
  ];

  /** The camera's right, level: what `sideways` handles lie along. */
  function right(): THREE.Vector3 {
    const r = new THREE.Vector3(1, 0, 0);
    return table ? r.setFromMatrixColumn(table.stage.camera.matrixWorld, 0).setY(0).normalize() : r;
  }
  function world(p: Point, sideways: boolean): THREE.Vector3 {
    return sideways ? right().multiplyScalar(p.x).setY(p.y) : new THREE.Vector3(p.x, p.y, p.z);
  }
  const spots = $derived.by(() => {
    void frame;
    return shapes.handles.map((h) => ({ h, p: table?.stage.project(world(h.at, h.sideways)) ?? null }));
  });
  const strokes = $derived.by(() => {
    void frame;
    return shapes.lines.map((l) =>
      l.points
        .map((p) => table?.stage.project(world(p, l.sideways)))
        .filter((p) => p && Number.isFinite(p.x + p.y))
        .map((p) => `${p?.x.toFixed(1)},${p?.y.toFixed(1)}`)
        .join(' '),
    );
  });

  let grip: Handle | null = null; // as it was when the drag began
  let latest: unknown = null;
  function press(event: PointerEvent, h: Handle) {
    if (disabled || event.button !== 0) return;
    event.stopPropagation();
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    grip = h;
    latest = null;
    dragged = h.key;
  }
  function drag(event: PointerEvent) {
    if (!grip || !table) return;
    const to = table.place(event, world(grip.at, grip.sideways), grip.level);
    if (!to) return;
    const p = grip.sideways ? { x: to.dot(right()), y: to.y, z: 0 } : { x: to.x, y: to.y, z: to.z };
    latest = grip.moved(p);
    oninput(grip.path, latest);
  }
  function settle() {
    if (grip && latest !== null) onchange(grip.path, latest);
    grip = null;
    dragged = null;
  }
  function nudge(event: KeyboardEvent, h: Handle) {
    const step = (bench.made?.facts.height ?? 1) * (event.shiftKey ? 0.004 : 0.02);
    const way: Record<string, [number, number]> = {
      ArrowUp: [0, step],
      ArrowDown: [0, -step],
      ArrowLeft: [-step, 0],
      ArrowRight: [step, 0],
    };
    const w = way[event.key];
    if (!w || disabled) return;
    event.preventDefault();
    const p = { ...h.at, x: h.at.x + w[0] };
    if (h.level) p.z -= w[1];
    else p.y += w[1];
    onchange(h.path, h.moved(p));
  }
</script>

<section class="relative min-h-0 flex-1 overflow-hidden bg-moss-tint" aria-label="turntable">
  <div
    bind:this={host}
    class="absolute inset-0"
    data-frame={frame}
    data-loaded={bench.made !== null}
    data-moving={moving}
    data-busy={bench.busy}
  ></div>
  <svg class="pointer-events-none absolute inset-0 h-full w-full">
    {#if marks.length > 1 && look !== 'overdraw'}
      {@const [a, b] = [marks[0], marks.at(-1)]}
      <line x1={a?.x} y1={a?.y} x2={b?.x} y2={b?.y} stroke={ink} stroke-width="1.4" />
      {#each marks as m (m.metres)}
        <line x1={m.x - 6} y1={m.y} x2={m.x} y2={m.y} stroke={ink} stroke-width="1.4" />
        <text
          x={m.x - 10}
          y={m.y + 4}
          text-anchor="end"
          font-size="11"
          fill={ink}
          paint-order="stroke"
          stroke={halo}
          stroke-opacity="0.75"
          stroke-width="3">{m.metres} m</text
        >
      {/each}
    {/if}
    {#each strokes as points, i (i)}
      <polyline {points} fill="none" stroke="#faf7ee" stroke-width="4" stroke-opacity="0.65" />
      <polyline {points} fill="none" stroke="#3f5b6b" stroke-width="1.8" stroke-dasharray="5 4" />
    {/each}
    {#each spots as { h, p } (h.key)}
      {#if p && Number.isFinite(p.x + p.y)}
        <circle
          class="pointer-events-auto {disabled ? '' : 'cursor-grab'}"
          cx={p.x}
          cy={p.y}
          r={dragged === h.key ? 8 : 6.5}
          fill="#faf7ee"
          stroke="#3f5b6b"
          stroke-width="2.4"
          role="button"
          tabindex={disabled ? -1 : 0}
          aria-label={h.label}
          onpointerdown={(e) => press(e, h)}
          onpointermove={drag}
          onpointerup={settle}
          onlostpointercapture={settle}
          onkeydown={(e) => nudge(e, h)}
        />
      {/if}
    {/each}
  </svg>
  <div class="absolute top-3.5 left-3.5 flex items-start gap-2">
    <select
      class="rounded-full border-line bg-leaf/95 py-1 pr-8 pl-3 text-[12.5px]"
      aria-label="how it is shown"
      bind:value={look}
    >
      {#each looks as [id, title] (id)}<option value={id}>{title}</option>{/each}
    </select>
    <button
      class="rounded-full border px-3 py-1 text-[12.5px] {windy
        ? 'border-moss bg-moss text-on-moss'
        : 'border-line bg-leaf/95'}"
      aria-pressed={windy}
      onclick={() => (windy = !windy)}><Wind size={13} class="mr-1 inline" />Wind</button
    >
    {#if windy}
      <div class="flex items-center gap-2 rounded-lg border border-line bg-leaf/95 p-1.5">
        <WindVane
          wind={gale}
          oninput={(w) => (gale = { ...gale, ...w })}
          onchange={(w) => (gale = { ...gale, ...w })}
        />
        <label class="w-[92px] text-[11.5px] text-soft"
          >Gusts<input
            type="range"
            class="w-full accent-(--moss)"
            min="0"
            max="1"
            step="0.05"
            aria-label="gusts"
            bind:value={gale.gusts}
          /></label
        >
      </div>
    {/if}
  </div>
  <div class="absolute top-3.5 right-3.5 flex flex-col items-end gap-1.5">
    <div class="flex gap-1.5" role="group" aria-label="levels of detail">
      {#each LEVELS as level, d (level)}
        {@const l = bench.ladder?.[d]}
        <button
          class="rounded-md border px-2.5 py-1 text-left leading-tight {bench.detail === d
            ? 'border-2 border-moss bg-plate'
            : 'border-line bg-leaf/95'}"
          aria-pressed={bench.detail === d}
          aria-label="level {level}: {l?.triangles ?? 'unknown'} triangles, from {from(d)}"
          title={l && d
            ? `${(100 * l.difference).toFixed(1)} % of the pixels of eight views differ from the nearest level`
            : undefined}
          onclick={() => onlevel(d)}
        >
          <span class="flex justify-between gap-2 font-serif text-[12.5px] font-semibold"
            >{from(d)}{#if l && d}<span
                class="font-sans text-[10.5px] font-normal text-soft"
                data-difference={l.difference}>Δ {(100 * l.difference).toFixed(1)} %</span
              >{/if}</span
          >
          <span class="text-[11px] text-soft tabular-nums">{l ? `${l.triangles.toLocaleString('en')} tri` : '…'}</span>
        </button>
      {/each}
    </div>
    <label class="flex items-center gap-1.5 rounded-full bg-leaf/90 px-2.5 py-0.5 text-[11.5px]">
      <input type="checkbox" class="size-3.5 rounded border-line text-moss" bind:checked={trueDistance} /> at its true distance
    </label>
  </div>
  {#if held}
    <div class="absolute inset-x-0 bottom-14 flex justify-center gap-3 text-[12.5px]">
      <span class="rounded-full border border-line bg-leaf/95 px-3 py-1">left: the draft, seed {bench.seed}</span>
      <span class="flex items-center gap-2 rounded-full border border-slate bg-slate-tint px-3 py-1"
        >right: {held.label} · {held.made.facts.triangles.toLocaleString('en')} tri
        <button class="font-semibold text-slate hover:underline" onclick={() => bench.hold(null)}>put away</button
        ></span
      >
    </div>
  {/if}
  <div class="absolute inset-x-3.5 bottom-3 flex items-center gap-3">
    <div
      class="shrink-0 rounded-md bg-[#232b20]/85 px-3 py-1.5 text-[12px] whitespace-nowrap text-[#faf7ee] tabular-nums"
      data-triangles={facts?.triangles ?? 0}
    >
      {#if facts}{facts.triangles.toLocaleString('en')} triangles · {facts.vertices.toLocaleString('en')} vertices · {size(
          facts.bytes,
        )} · {facts.height.toFixed(2)} m{:else}growing…{/if}
    </div>
    {#if aged}<AgeTrack {bench} {disabled} {oninput} {onchange} />{:else}<span class="flex-1"></span>{/if}
    <div class="shrink-0 text-[11.5px]" style:color={ink} style:text-shadow="0 0 4px {halo}, 0 0 4px {halo}">
      {look === 'overdraw' ? '' : 'the figure is 1.8 m tall'}
    </div>
  </div>
  {#if failure}<p
      class="absolute inset-x-20 top-20 rounded border border-clay bg-leaf px-4 py-2 text-clay"
      role="alert"
    >
      {failure}
    </p>{/if}
</section>
