<script module lang="ts">
  import type { Look } from '../view/turntable';

  const LOOKS: [Look, string][] = [
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
</script>

<script lang="ts">
  /** The turntable, with ruler, person, handles, ways of looking, wind, age track and the ladder of levels. */
  import { Alert, Button, ButtonGroup, Checkbox, Progressbar, Range, Select } from 'flowbite-svelte';
  import Layers from '@lucide/svelte/icons/layers-2';
  import Sunset from '@lucide/svelte/icons/sunset';
  import Wind from '@lucide/svelte/icons/wind';
  import { onMount, untrack } from 'svelte';
  import { said, type Row } from '../api/client';
  import { app } from '../state/app.svelte';
  import { LEVELS, make, type BenchState, type Made } from '../state/bench.svelte';
  import { keyring } from '../state/keys';
  import { asksForSheet } from '../state/sheet';
  import { size } from '../state/values';
  import type { FaceEdit } from '../state/facades';
  import { FaceTool } from '../view/tools/faces';
  import { GripTool } from '../view/tools/grip';
  import { ToolHost } from '../view/tools/host.svelte';
  import { isData, Turntable, type Subject } from '../view/turntable';
  import AgeTrack from './AgeTrack.svelte';
  import Overlay from './Overlay.svelte';
  import SheetFigures from './SheetFigures.svelte';
  import WindVane from './WindVane.svelte';

  let {
    bench,
    rows,
    aged,
    disabled,
    onlevel,
    oninput,
    onchange,
    onkept,
  }: {
    bench: BenchState;
    rows: Row[]; // of the stage of growth that is open
    aged: boolean; // the kind has an age
    disabled: boolean;
    onlevel: (detail: number) => void;
    oninput: (path: string, value: unknown) => void;
    onchange: (path: string, value: unknown) => void;
    onkept: () => void; // back to the parameters that are kept
  } = $props();
  let host: HTMLElement;
  let table = $state.raw<Turntable | null>(null);
  let tools = $state.raw<ToolHost | null>(null);
  let frame = $state(0);
  let moving = $state(false);
  let developed = $state(0);
  let look = $state<Look>('lit');
  let windy = $state(false);
  let evening = $state(false);
  let gale = $state({ azimuth: 250, speed: 4, gusts: 0.5 });
  let trueDistance = $state(false);
  let ghostly = $state(false);
  let failure = $state('');
  let faces = $state.raw<FaceTool | null>(null); // in hand, where a building is on the bench
  let marks = $state.raw<{ metres: number; x: number; y: number }[]>([]);
  const facts = $derived(bench.made?.facts);
  const [ink, halo] = $derived(app.dusk ? ['#f2ead6', '#2a251a'] : ['#232b20', '#f4efdf']);
  const held = $derived(bench.held);

  const subject = (made: Made): Subject => ({
    mesh: made.mesh,
    height: made.facts.height,
    radius: made.facts.canopy_radius,
    collider: made.facts.collider,
    lamps: made.facts.lamps,
  });

  onMount(() => {
    try {
      table = new Turntable(host);
    } catch (error) {
      failure = `the picture cannot be drawn: ${said(error)}. Plough needs a browser with WebGL 2.`;
      return;
    }
    const t = table;
    const grips = new ToolHost(t.stage, {
      draft: oninput,
      apply: (edits) => {
        for (const edit of edits)
          if (edit.op === 'asset') for (const [path, v] of Object.entries(edit.parameters ?? {})) onchange(path, v);
        return Promise.resolve(true);
      },
      cancelled: () => onkept(),
      leave: () => {},
    });
    tools = grips;
    t.stage.onDrawn = (coarse) => {
      frame++;
      moving = coarse;
      developed = t.stage.developed;
      marks = t.ruler();
      grips.drawn();
    };
    (window as unknown as { plough: unknown }).plough = { stage: t.stage, table: t };
    return () => {
      grips.dispose();
      t.dispose();
    };
  });
  $effect(() => {
    void bench.id;
    table?.anew();
    untrack(() => (bench.picked = null));
  });
  // what is in hand: the faces of a building, or whatever of another thing has a place in the view
  const housed = $derived(Boolean(facts?.faces.length));
  $effect(() => {
    if (!tools || !table) return;
    const [host, t, house] = [tools, table, housed];
    return untrack(() => (house ? takeFaces(host, t) : takeGrips(host, t)));
  });
  function takeGrips(host: ToolHost, t: Turntable) {
    host.take(new GripTool(t, () => ({ asset: bench.id, rows, parameters: bench.parameters, mayEdit: !disabled })));
  }
  function takeFaces(host: ToolHost, t: Turntable) {
    const tool = new FaceTool(
      t,
      () => ({
        asset: bench.id,
        faces: bench.made?.facts.faces ?? [],
        edits: (bench.parameters.faces ?? []) as FaceEdit[],
        picked: bench.picked,
        mayEdit: !disabled,
      }),
      (picked) => {
        bench.picked = picked;
        t.stage.canvas.focus(); // so that keys act on what is chosen
      },
    );
    host.take(tool);
    faces = tool;
    const free = keyring.bind({
      split: () => host.act(tool, () => tool.split(!tool.splitting)),
      which: (event) => {
        const piece = bench.made?.facts.fillings.pieces?.[Number(event.key) - 1];
        if (piece) host.act(tool, () => tool.fill(piece));
      },
      remove: () => host.act(tool, () => tool.fill(null)),
      leave: () => host.act(tool, () => tool.back()),
    });
    return () => {
      free();
      faces = null;
    };
  }
  $effect(() => {
    void bench.picked;
    untrack(() => tools?.drawn());
  });
  const hints = $derived.by(() => {
    void tools?.turn;
    return tools?.tool?.hints() ?? [];
  });
  const cursor = $derived.by(() => {
    void tools?.turn;
    return tools?.tool?.cursor;
  });
  const splitting = $derived.by(() => {
    void tools?.turn;
    return faces?.splitting ?? false;
  });
  $effect(() => {
    if (table && bench.made) table.show(subject(bench.made));
  });
  $effect(() => table?.meanwhile(bench.soFar ? subject(bench.soFar) : null));
  $effect(() => table?.hold(held ? subject(held.made) : null));
  // the parts of a skin, seen through over it
  const parts = $derived(bench.skin && ghostly ? JSON.stringify(bench.parameters.parts ?? []) : '');
  $effect(() => {
    const shown = table;
    if (!parts || !shown) return;
    const run = new AbortController();
    let mesh: Made['mesh'] | null = null;
    const kind = app.ofParts('stand')?.name ?? '';
    make(bench.scene, kind, { parts: JSON.parse(parts) as unknown }, 1, 0, {}, run.signal)
      .then((made) => {
        if (run.signal.aborted) return made.mesh.dispose();
        mesh = made.mesh;
        shown.ghost(mesh);
      })
      .catch((error: unknown) => {
        if (!run.signal.aborted) app.tell(`the parts cannot be shown: ${said(error)}`, 'bad');
      });
    return () => {
      run.abort();
      shown.ghost(null);
      mesh?.dispose();
    };
  });
  $effect(() => table?.setLook(look));
  $effect(() => table?.setEvening(evening));
  $effect(() => table?.setWind(windy ? gale.speed : 0, gale.azimuth, gale.gusts));
  $effect(() => {
    const ranges = bench.made?.facts.ranges ?? {};
    table?.mark(bench.lit.map((name) => ranges[name]).filter((r) => r !== undefined));
  });
  $effect(() => {
    if (!trueDistance || !table) return;
    const from = bench.detail ? bench.ladder?.[bench.detail - 1]?.switch_distance : null;
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
    const until = d ? bench.ladder?.[d - 1]?.switch_distance : null;
    return d === 0 ? 'near' : until ? `${until < 10 ? until.toFixed(1) : Math.round(until)} m` : (LEVELS[d] ?? '');
  };
  const millimetres = (metres = 0) => `${(1000 * metres).toFixed(metres < 0.01 ? 2 : 1)} mm`;
  const looks: [Look, string][] = $derived(bench.skin ? [...LOOKS, ['away', 'Distance to its parts']] : LOOKS);
</script>

<section class="relative min-h-0 flex-1 overflow-hidden bg-moss-tint" aria-label="turntable">
  <div
    bind:this={host}
    class="absolute inset-0"
    data-frame={frame}
    data-loaded={bench.made !== null}
    data-moving={moving}
    data-developed={developed}
    data-passing={Boolean(bench.soFar)}
    data-busy={bench.busy}
    style:cursor
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
  </svg>
  {#if tools}<Overlay host={tools} label="what can be dragged" />{/if}
  <div class="absolute top-3.5 left-3.5 flex items-start gap-2">
    <Select
      aria-label="how it is shown"
      placeholder=""
      classes={{ select: 'rounded-full bg-leaf/95 py-1' }}
      items={looks.map(([value, name]) => ({ value, name }))}
      bind:value={look}
    />
    <Button
      pill
      class={evening ? '' : 'bg-leaf/95'}
      color={evening ? 'primary' : 'alternative'}
      aria-pressed={evening}
      title="in the light after sunset, when lamps are lit"
      onclick={() => (evening = !evening)}><Sunset size={13} />Evening</Button
    >
    <Button
      pill
      class={windy ? '' : 'bg-leaf/95'}
      color={windy ? 'primary' : 'alternative'}
      aria-pressed={windy}
      onclick={() => (windy = !windy)}><Wind size={13} />Wind</Button
    >
    {#if bench.skin}
      <Button
        pill
        class={ghostly ? '' : 'bg-leaf/95'}
        color={ghostly ? 'primary' : 'alternative'}
        aria-pressed={ghostly}
        title="What it was made of, seen through over it"
        onclick={() => (ghostly = !ghostly)}><Layers size={13} />Its parts</Button
      >
    {/if}
    {#if faces && !disabled}
      {@const tool = faces}
      <ButtonGroup>
        {#each [['choose', 'Choose a face or a cell of it, pull it out, fill it'], ['split', 'Split cells where you click']] as [word, title] (word)}
          {@const on = (word === 'split') === splitting}
          <Button
            size="sm"
            class={on ? '' : 'bg-leaf/95'}
            color={on ? 'primary' : 'alternative'}
            aria-pressed={on}
            {title}
            onclick={() => tools?.act(tool, () => tool.split(word === 'split'))}>{word}</Button
          >
        {/each}
      </ButtonGroup>
    {/if}
    {#if windy}
      <div class="flex items-center gap-2 rounded-lg border border-line bg-leaf/95 p-1.5">
        <WindVane
          wind={gale}
          oninput={(w) => (gale = { ...gale, ...w })}
          onchange={(w) => (gale = { ...gale, ...w })}
        />
        <label class="w-[92px] text-[11.5px] text-soft"
          >Gusts<Range
            size="sm"
            class="w-full"
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
          title={l && d
            ? `${(100 * l.difference).toFixed(1)} % of the pixels of eight views differ from the nearest level`
            : undefined}
          onclick={() => onlevel(d)}
        >
          <span class="sr-only">level of detail: {level}, </span>
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
    <Checkbox bind:checked={trueDistance} classes={{ div: 'rounded-full bg-leaf/90 px-2.5 py-0.5 text-[11.5px]' }}>
      at its true distance
    </Checkbox>
    {#if asksForSheet(bench.parameters)}<SheetFigures {bench} />{/if}
  </div>
  {#if bench.slow && (bench.busy || bench.stopped)}
    <div class="absolute inset-x-0 top-16 flex justify-center">
      <div class="w-[300px] rounded-lg border border-line bg-leaf/95 px-3.5 py-2.5 shadow" role="status" data-progress>
        {#if bench.busy}
          <div class="mb-1.5 flex items-baseline justify-between gap-2 text-[13px]">
            <span>{bench.progress?.words ?? 'Beginning'}…</span>
            <span class="text-soft tabular-nums">{Math.round(100 * (bench.progress?.share ?? 0))} %</span>
          </div>
          <div class="flex items-center gap-3">
            <Progressbar size="h-1.5" class="flex-1" progress={100 * (bench.progress?.share ?? 0)} />
            <Button size="xs" color="alternative" onclick={() => bench.halt()}>Stop</Button>
          </div>
        {:else}
          <div class="flex items-center justify-between gap-3 text-[13px]">
            <span>Stopped. The last result stays.</span>
            <Button size="xs" color="alternative" onclick={() => bench.make()}>Go on</Button>
          </div>
        {/if}
      </div>
    </div>
  {/if}
  {#if look === 'away' && facts}
    <div
      class="absolute right-3.5 bottom-14 rounded-lg border border-line bg-leaf/95 px-3 py-2 text-[12px]"
      data-greatest={facts.measures.greatest}
    >
      <div class="mb-1 h-2 w-[180px] rounded bg-[linear-gradient(90deg,#2b4054,#408582_33%,#edd180_66%,#bf3d26)]"></div>
      <div class="flex justify-between tabular-nums">
        <span>0</span><span>{millimetres(facts.measures.greatest)}</span>
      </div>
      <div class="mt-0.5 text-soft">
        mean {millimetres(facts.measures.mean)} · cells {millimetres(facts.measures.cell)}
      </div>
    </div>
  {/if}
  {#if hints.length && !held}
    <div
      class="absolute bottom-14 left-3.5 flex gap-3.5 rounded-md bg-[#232b20]/80 px-3 py-1.5 text-[11.5px] text-[#faf7ee]"
    >
      {#each hints as [keys, what] (keys)}<span><b>{keys}</b> {what}</span>{/each}
    </div>
  {/if}
  {#if held}
    <div class="absolute inset-x-0 bottom-14 flex justify-center gap-3 text-[12.5px]">
      <span class="rounded-full border border-line bg-leaf/95 px-3 py-1">left: the draft, seed {bench.seed}</span>
      <span class="flex items-center gap-2 rounded-full border border-slate bg-slate-tint px-3 py-1"
        >right: {held.label} · {held.made.facts.triangles.toLocaleString('en')} tri
        <Button
          color="alternative"
          class="min-h-[24px] border-0 bg-transparent px-1 py-0 font-semibold text-slate hover:underline"
          onclick={() => bench.hold(null)}>put away</Button
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
        )} · {facts.height.toFixed(2)} m{:else if bench.stopped}nothing yet{:else}{bench.slow
          ? 'in the making…'
          : 'growing…'}{/if}
    </div>
    {#if aged}<AgeTrack {bench} {disabled} {oninput} {onchange} />{:else}<span class="flex-1"></span>{/if}
    <div class="shrink-0 text-[11.5px]" style:color={ink} style:text-shadow="0 0 4px {halo}, 0 0 4px {halo}">
      {isData(look) ? '' : 'the figure is 1.8 m tall'}
    </div>
  </div>
  {#if failure}<Alert class="absolute inset-x-20 top-20 bg-leaf" role="alert">{failure}</Alert>{/if}
</section>
