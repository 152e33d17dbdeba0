<script lang="ts">
  /** The corners of a plan, drawn from above: dragged, moved by arrows, put in on an edge, taken out. */
  import { Button, Select } from 'flowbite-svelte';
  import type { Row } from '../api/client';
  import { MOST_CORNERS, planOf, type Outline } from '../state/plans';

  type Corner = [east: number, south: number];
  let {
    row,
    value,
    disabled,
    outlines = [],
    oninput,
    onchange,
  }: {
    row: Row;
    value: Corner[];
    disabled: boolean;
    outlines?: Outline[]; // that it can be taken from
    oninput?: (v: unknown) => void;
    onchange: (v: unknown) => void;
  } = $props();
  const WIDE = 300;
  const HIGH = 210;
  const STEP = 0.1; // metres that corners lie on
  const BEGUN: Corner[] = [
    [-4.5, 2.7],
    [4.5, 2.7],
    [4.5, -2.7],
    [-4.5, -2.7],
  ];
  let live = $state.raw<Corner[] | null>(null);
  let held = $state<number | null>(null);
  let chosen = $state<number | null>(null);
  const kept = $derived(value.length >= 3 ? value : BEGUN);
  const corners = $derived(live ?? kept);
  /** The paper does not move while a corner is dragged. */
  const reach = $derived(
    Math.max(3, ...kept.map(([x, z]) => Math.max(Math.abs(x), (Math.abs(z) * WIDE) / HIGH))) * 1.3,
  );
  const scale = $derived(WIDE / (2 * reach));
  const px = (x: number) => WIDE / 2 + x * scale;
  const pz = (z: number) => HIGH / 2 + z * scale;
  const snap = (v: number) => Math.round(v / STEP) * STEP;
  const tidy = (c: Corner): Corner => [Math.round(c[0] * 1000) / 1000, Math.round(c[1] * 1000) / 1000];
  const next = (k: number) => corners[(k + 1) % corners.length] as Corner;
  const lines = $derived(Array.from({ length: Math.floor(reach) * 2 + 1 }, (_, k) => k - Math.floor(reach)));

  function at(event: PointerEvent): Corner {
    const box = (event.currentTarget as Element).closest('svg')!.getBoundingClientRect();
    return [
      snap(((event.clientX - box.left) * (WIDE / box.width) - WIDE / 2) / scale),
      snap(((event.clientY - box.top) * (HIGH / box.height) - HIGH / 2) / scale),
    ];
  }
  function grab(event: PointerEvent, k: number) {
    if (disabled) return;
    event.stopPropagation();
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    held = chosen = k;
  }
  function drag(event: PointerEvent) {
    if (held === null) return;
    const p = at(event);
    live = corners.map((c, k) => (k === held ? tidy(p) : c));
    oninput?.(live);
  }
  function drop() {
    if (held === null) return;
    held = null;
    const last = live;
    live = null;
    if (last) onchange(last);
  }
  function put(event: PointerEvent, k: number) {
    if (disabled || corners.length >= MOST_CORNERS) return;
    const p = tidy(at(event));
    chosen = k + 1;
    onchange([...corners.slice(0, k + 1), p, ...corners.slice(k + 1)]);
  }
  function without(k: number) {
    if (disabled || corners.length <= 3) return;
    chosen = null;
    onchange(corners.filter((_, n) => n !== k));
  }
  function key(event: KeyboardEvent, k: number) {
    const way: Record<string, Corner> = {
      ArrowLeft: [-STEP, 0],
      ArrowRight: [STEP, 0],
      ArrowUp: [0, -STEP],
      ArrowDown: [0, STEP],
    };
    const step = way[event.key];
    if (event.key === 'Delete' || event.key === 'Backspace') without(k);
    else if (step && !disabled) onchange(corners.map((c, n) => (n === k ? tidy([c[0] + step[0], c[1] + step[1]]) : c)));
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div data-field={row.path} class="mt-1">
  <div class="flex items-center justify-between">
    <span class="font-serif text-[13.5px]">Plan</span>
    <span class="text-[12px] text-soft">{corners.length} corners · a square is 1 m</span>
  </div>
  <svg
    viewBox="0 0 {WIDE} {HIGH}"
    class="w-full rounded border border-line bg-plate"
    role="group"
    aria-label="plan, seen from above"
  >
    {#each lines as m (m)}
      <line x1={px(m)} x2={px(m)} y1="0" y2={HIGH} class="stroke-line/60" stroke-width={m ? 0.4 : 0.9} />
      <line x1="0" x2={WIDE} y1={pz(m)} y2={pz(m)} class="stroke-line/60" stroke-width={m ? 0.4 : 0.9} />
    {/each}
    <polygon points={corners.map((c) => `${px(c[0])},${pz(c[1])}`).join(' ')} class="fill-moss-tint/70" />
    {#each corners as c, k (k)}
      {@const n = next(k)}
      <line x1={px(c[0])} y1={pz(c[1])} x2={px(n[0])} y2={pz(n[1])} class="stroke-moss" stroke-width="1.6" />
      {#if !disabled}
        <line
          role="presentation"
          x1={px(c[0])}
          y1={pz(c[1])}
          x2={px(n[0])}
          y2={pz(n[1])}
          class="cursor-copy stroke-transparent"
          stroke-width="11"
          onpointerdown={(event) => put(event, k)}
        />
      {/if}
      <text
        x={px(0.5 * (c[0] + n[0]))}
        y={pz(0.5 * (c[1] + n[1])) - 4}
        text-anchor="middle"
        class="pointer-events-none fill-soft text-[9px]">w{k} · {Math.hypot(n[0] - c[0], n[1] - c[1]).toFixed(1)}</text
      >
    {/each}
    {#each corners as c, k (k)}
      <circle
        role="button"
        tabindex={disabled ? -1 : 0}
        aria-label="corner {k + 1}: {c[0].toFixed(1)} east, {c[1].toFixed(1)} south"
        data-corner={k}
        cx={px(c[0])}
        cy={pz(c[1])}
        r={chosen === k ? 6 : 4.5}
        class="cursor-move fill-leaf stroke-moss focus-visible:fill-moss"
        stroke-width="1.6"
        onpointerdown={(event) => grab(event, k)}
        onpointermove={drag}
        onpointerup={drop}
        ondblclick={() => without(k)}
        onfocus={() => (chosen = k)}
        onkeydown={(event) => key(event, k)}
      />
    {/each}
  </svg>
  {#if outlines.length && !disabled}
    <Select
      size="sm"
      class="mt-1"
      placeholder=""
      aria-label="take the plan from an area"
      items={[{ value: '', name: 'Take it from an area…' }, ...outlines.map((o) => ({ value: o.id, name: o.name }))]}
      value=""
      onchange={(event) => {
        const from = outlines.find((o) => o.id === event.currentTarget.value);
        event.currentTarget.value = '';
        if (from) onchange(planOf(from.points));
      }}
    />
  {/if}
  <div class="flex items-center justify-between pt-0.5 text-[11.5px] text-soft">
    <span>drag corners · click an edge for one more</span>
    {#if chosen !== null && corners.length > 3 && !disabled}
      <Button color="alternative" size="xs" onclick={() => chosen !== null && without(chosen)}
        >Take the corner out</Button
      >
    {/if}
  </div>
</div>
