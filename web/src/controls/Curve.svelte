<script lang="ts">
  /** A profile on ruled paper: knots are dragged, added by click, removed by double click. */
  import type { Row } from '../api/client';
  import { slopes, valueAt, type Knot } from '../state/monotone';
  import { same } from '../state/values';
  import PointList from './PointList.svelte';

  let {
    row,
    value,
    disabled = false,
    oninput,
    onchange,
  }: {
    row: Row;
    value: Knot[];
    disabled?: boolean;
    oninput?: (v: Knot[]) => void;
    onchange: (v: Knot[]) => void;
  } = $props();

  const W = 320;
  const H = 84;
  const PAD = 9;
  let live = $state<Knot[] | null>(null);
  let origin: Knot[] = []; // when the change began
  let held = $state<number | null>(null);
  let wrong = $state('');
  let box: SVGSVGElement;
  const knots = $derived(live ?? value);
  const px = (x: number) => PAD + x * (W - 2 * PAD);
  const py = (y: number) => H - PAD - y * (H - 2 * PAD);
  const line = $derived(path(knots));

  /** Monotone cubic through the knots, as the core draws it. */
  function path(k: Knot[]): string {
    const m = slopes(k);
    const first = k[0] as Knot;
    const last = k[k.length - 1] as Knot;
    let out = `M${px(0)} ${py(first[1])}L${px(first[0])} ${py(first[1])}`;
    for (let i = 0; i < k.length - 1; i++) {
      const [a, b] = [k[i] as Knot, k[i + 1] as Knot];
      const t = (b[0] - a[0]) / 3;
      out += `C${px(a[0] + t)} ${py(a[1] + (m[i] ?? 0) * t)} ${px(b[0] - t)} ${py(b[1] - (m[i + 1] ?? 0) * t)} ${px(b[0])} ${py(b[1])}`;
    }
    return `${out}L${px(1)} ${py(last[1])}`;
  }

  function at(event: PointerEvent): Knot {
    const r = box.getBoundingClientRect();
    const x = (((event.clientX - r.left) / r.width) * W - PAD) / (W - 2 * PAD);
    const y = (H - PAD - ((event.clientY - r.top) / r.height) * H) / (H - 2 * PAD);
    const tidy = (v: number) => Math.round(Math.min(1, Math.max(0, v)) * 100) / 100;
    return [tidy(x), tidy(y)];
  }

  function press(event: PointerEvent) {
    if (disabled || event.button !== 0) return;
    const p = at(event);
    const near = knots.findIndex((k) => Math.hypot(px(k[0]) - px(p[0]), py(k[1]) - py(p[1])) < 12);
    box.setPointerCapture(event.pointerId);
    if (near >= 0) {
      held = near;
      return;
    }
    if (knots.length >= 12) return;
    const next = [...knots, p].sort((a, b) => a[0] - b[0]);
    held = next.indexOf(p);
    apply(next);
  }

  function apply(next: Knot[]) {
    if (next.slice(1).some((b, i) => b[0] - (next[i] as Knot)[0] < 0.01)) return;
    if (live === null) origin = value;
    live = next;
    oninput?.(next);
  }

  function drag(event: PointerEvent) {
    if (held === null) return;
    const p = at(event);
    const low = held ? (knots[held - 1] as Knot)[0] + 0.01 : 0;
    const high = held < knots.length - 1 ? (knots[held + 1] as Knot)[0] - 0.01 : 1;
    p[0] = Math.min(high, Math.max(low, p[0]));
    apply(knots.map((k, i) => (i === held ? p : k)));
  }

  function settle() {
    held = null;
    if (!live) return;
    const last = live;
    live = null;
    if (!same(last, origin)) onchange(last);
  }

  function drop(i: number) {
    if (!disabled && value.length > 2) onchange(value.filter((_, k) => k !== i));
  }

  function key(event: KeyboardEvent, i: number) {
    const way: Record<string, Knot> = {
      ArrowUp: [0, 0.02],
      ArrowDown: [0, -0.02],
      ArrowLeft: [-0.02, 0],
      ArrowRight: [0.02, 0],
    };
    const step = way[event.key];
    if (event.key === 'Delete' || event.key === 'Backspace') drop(i);
    if (!step || disabled) return;
    event.preventDefault();
    const k = knots[i] as Knot;
    const p: Knot = [Math.min(1, Math.max(0, k[0] + step[0])), Math.min(1, Math.max(0, k[1] + step[1]))];
    apply(knots.map((old, n) => (n === i ? p : old))); // kept when the key is let go
  }

  /** Knots as typed: within the paper, from left to right. */
  function take(typed: number[][]) {
    const next = typed.map(([x = 0, y = 0]): Knot => [Math.min(1, Math.max(0, x)), Math.min(1, Math.max(0, y))]);
    next.sort((a, b) => a[0] - b[0]);
    if (next.slice(1).some((b, n) => b[0] - (next[n] as Knot)[0] < 0.01)) wrong = 'knots lie at least 0.01 apart';
    else {
      wrong = '';
      onchange(next);
    }
  }

  /** One more knot, in the widest gap, on the line. */
  function add() {
    const gaps = value.slice(1).map((b, n) => b[0] - (value[n] as Knot)[0]);
    const n = gaps.indexOf(Math.max(...gaps));
    const [a, b] = [value[n] as Knot, value[n + 1] as Knot];
    const x = Math.round(50 * (a[0] + b[0])) / 100;
    take([...value, [x, Math.round(100 * valueAt(value, x)) / 100]]);
  }
</script>

<div class="py-1" data-field={row.path}>
  <div class="mb-1 flex items-baseline justify-between">
    <span class="font-serif text-[13px] font-semibold" title={row.help}>{row.title}</span>
    <span class="text-[11.5px] text-soft">drag the knots</span>
  </div>
  <svg
    bind:this={box}
    viewBox="0 0 {W} {H}"
    class="w-full touch-none rounded border border-line bg-plate"
    role="group"
    aria-label={row.title}
    onpointerdown={press}
    onpointermove={drag}
    onpointerup={settle}
    onlostpointercapture={settle}
  >
    {#each [0.25, 0.5, 0.75] as t (t)}
      <path d="M{px(0)} {py(t)}H{px(1)}M{px(t)} {py(0)}V{py(1)}" stroke="var(--line)" stroke-width="0.6" />
    {/each}
    <path d={line} fill="none" stroke="var(--moss)" stroke-width="2" />
    {#each knots as k, i (i)}
      <circle
        cx={px(k[0])}
        cy={py(k[1])}
        r={held === i ? 6 : 4.6}
        fill="var(--plate)"
        stroke="var(--moss)"
        stroke-width="1.8"
        role="button"
        tabindex={disabled ? -1 : 0}
        aria-label="knot {i + 1}: {k[0]}, {k[1]}"
        ondblclick={() => drop(i)}
        onkeydown={(e) => key(e, i)}
        onkeyup={settle}
        onblur={settle}
      />
    {/each}
  </svg>
  <details>
    <summary class="inline-block cursor-pointer py-0.5 text-[11.5px] text-soft">knots in numbers</summary>
    <PointList
      {value}
      names={['along', 'height']}
      unit="0 to 1"
      word="knot"
      begin="Add a knot"
      least={2}
      most={12}
      {disabled}
      onchange={take}
      onadd={add}
    />
    {#if wrong}<p class="text-[11.5px] text-clay" role="alert">{wrong}</p>{/if}
  </details>
</div>
