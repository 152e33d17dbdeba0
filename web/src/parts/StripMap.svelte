<script lang="ts">
  /** A path made straight, from its start at the left to its end: chainage, knots, crossings, and what stands along it. Its free ends are dragged. */
  import type { StripMap } from '../api/client';
  import { chainageStep, halfWidth } from '../state/along';

  let {
    strip,
    free,
    disabled,
    oninput,
    onchange,
  }: {
    strip: StripMap;
    free: [number, number]; // metres at its ends
    disabled: boolean;
    oninput: (end: 0 | 1, metres: number) => void;
    onchange: (end: 0 | 1, metres: number) => void;
  } = $props();
  const W = 306; // user units across, with a margin of 6 at each end
  const LANE = 22; // to each side
  const TOP = 14;
  const MIDDLE = TOP + LANE;
  let svg = $state<SVGSVGElement>();
  let held = $state<0 | 1 | null>(null);
  let draft = $state<number | null>(null);
  const now = $derived([0, 1].map((end) => (held === end && draft !== null ? draft : free[end])) as [number, number]);
  const x = (metres: number) => 6 + (metres / Math.max(strip.length, 1e-6)) * (W - 12);
  const half = $derived(halfWidth(strip));
  const y = (aside: number) => MIDDLE + (aside / half) * (LANE - 3);
  const step = $derived(chainageStep(strip.length));
  const marks = $derived(Array.from({ length: Math.floor(strip.length / step + 1e-6) + 1 }, (_, k) => k * step));
  const ends = $derived([Math.min(now[0], strip.length), Math.max(0, strip.length - now[1])] as [number, number]);
  const round = (v: number) => Math.round(v * 2) / 2;

  /** So many metres free at one end: neither end passes the other. */
  function within(end: 0 | 1, metres: number): number {
    return round(Math.min(Math.max(0, metres), Math.max(0, strip.length - now[end ? 0 : 1]), 5000));
  }

  function drag(event: PointerEvent) {
    if (held === null || !svg) return;
    const box = svg.getBoundingClientRect();
    const metres = ((((event.clientX - box.left) / box.width) * W - 6) / (W - 12)) * strip.length;
    draft = within(held, held ? strip.length - metres : metres);
    oninput(held, draft);
  }

  function drop() {
    if (held !== null && draft !== null) onchange(held, draft);
    held = draft = null;
  }

  function key(event: KeyboardEvent, end: 0 | 1) {
    const way = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (!way || disabled) return;
    event.preventDefault();
    const by = (event.shiftKey ? 0.5 : step / 10) * (end ? -way : way);
    onchange(end, within(end, now[end] + by));
  }
</script>

<figure class="mt-3" aria-label="strip map of {strip.name}">
  <figcaption class="flex items-baseline justify-between text-[12px]">
    <span class="truncate font-serif text-[14px]">{strip.name}</span>
    <span class="text-soft tabular-nums">{strip.length.toFixed(0)} m{strip.closed ? ', closed' : ''}</span>
  </figcaption>
  <svg
    bind:this={svg}
    viewBox="0 0 {W} {TOP + 2 * LANE + 16}"
    class="w-full touch-none rounded border border-line bg-leaf select-none"
    role="group"
    aria-label="from its start at the left to its end"
    onpointermove={drag}
    onpointerup={drop}
    onpointercancel={() => ((held = null), (draft = null))}
  >
    <rect x={x(0)} y={TOP} width={x(strip.length) - x(0)} height={2 * LANE} fill="var(--paper)" />
    {#each marks as m (m)}
      <line x1={x(m)} x2={x(m)} y1={TOP} y2={TOP + 2 * LANE} stroke="var(--line)" stroke-width="0.7" />
      <text x={x(m)} y={TOP + 2 * LANE + 11} text-anchor={m ? 'middle' : 'start'} font-size="8.5" fill="var(--soft)"
        >{m}</text
      >
    {/each}
    <line x1={x(0)} x2={x(strip.length)} y1={MIDDLE} y2={MIDDLE} stroke="var(--soft)" stroke-width="1.4" />
    {#each strip.crossings as [at, name], k (k)}
      <g>
        <line x1={x(at)} x2={x(at)} y1={TOP - 3} y2={TOP + 2 * LANE} stroke="var(--slate)" stroke-width="1.6" />
        <text x={x(at)} y={TOP - 5} text-anchor="middle" font-size="8" fill="var(--slate)">{name}</text>
      </g>
    {/each}
    {#each strip.knots as at, k (k)}
      <path d="M{x(at)} {MIDDLE - 3}l3 3-3 3-3-3z" fill="var(--leaf)" stroke="var(--soft)" stroke-width="0.8" />
    {/each}
    {#each strip.places as [at, aside], k (k)}
      <circle cx={x(at)} cy={y(aside)} r={strip.places.length > 300 ? 0.8 : 1.7} fill="var(--moss)" />
    {/each}
    {#if !strip.closed}
      <rect x={x(0)} y={TOP} width={x(ends[0]) - x(0)} height={2 * LANE} fill="var(--line)" opacity="0.55" />
      <rect
        x={x(ends[1])}
        y={TOP}
        width={x(strip.length) - x(ends[1])}
        height={2 * LANE}
        fill="var(--line)"
        opacity="0.55"
      />
      {#each [0, 1] as const as end (end)}
        <g
          role="slider"
          tabindex={disabled ? -1 : 0}
          aria-label="free at its {end ? 'end' : 'start'}"
          aria-valuenow={now[end]}
          aria-valuemin={0}
          aria-valuemax={strip.length}
          aria-disabled={disabled}
          class={disabled ? '' : 'cursor-ew-resize'}
          onpointerdown={(e) => {
            if (disabled) return;
            held = end;
            svg?.setPointerCapture(e.pointerId);
          }}
          onkeydown={(e) => key(e, end)}
        >
          <rect x={x(ends[end]) - 6} y={TOP - 4} width="12" height={2 * LANE + 8} fill="transparent" />
          <line
            x1={x(ends[end])}
            x2={x(ends[end])}
            y1={TOP - 3}
            y2={TOP + 2 * LANE + 3}
            stroke="var(--moss)"
            stroke-width="1.8"
          />
          <path d="M{x(ends[end]) - 4} {TOP - 3}h8l-4 5z" fill="var(--moss)" />
        </g>
      {/each}
    {/if}
  </svg>
</figure>
