<script lang="ts">
  /** The sun from above: drag the hand round for its direction, inwards for its height. */
  import { onMount } from 'svelte';
  interface Sun {
    azimuth: number;
    elevation: number;
  }
  let {
    sun,
    disabled = false,
    oninput,
    onchange,
  }: { sun: Sun; disabled?: boolean; oninput: (s: Sun) => void; onchange: (s: Sun) => void } = $props();
  let live = $state<Sun | null>(null);
  let box: SVGSVGElement;
  const now = $derived(live ?? sun);
  const reach = $derived(27 * Math.cos((now.elevation * Math.PI) / 180));
  const x = $derived(36 + reach * Math.sin((now.azimuth * Math.PI) / 180));
  const y = $derived(36 - reach * Math.cos((now.azimuth * Math.PI) / 180));

  function place(event: PointerEvent) {
    const r = box.getBoundingClientRect();
    const dx = event.clientX - r.left - r.width / 2;
    const dy = event.clientY - r.top - r.height / 2;
    const d = Math.min(1, Math.hypot(dx, dy) / (27 * (r.width / 72)));
    set((Math.atan2(dx, -dy) * 180) / Math.PI, (Math.acos(d) * 180) / Math.PI);
  }
  function set(azimuth: number, elevation: number) {
    live = { azimuth: Math.round((azimuth + 360) % 360), elevation: Math.round(Math.min(90, Math.max(3, elevation))) };
    oninput(live);
  }
  function settle() {
    if (live) onchange(live);
    live = null;
  }
  let timer = 0;
  function key(e: KeyboardEvent) {
    const step: Record<string, [number, number]> = {
      ArrowLeft: [-3, 0],
      ArrowRight: [3, 0],
      ArrowUp: [0, 2],
      ArrowDown: [0, -2],
    };
    const s = step[e.key];
    if (!s || disabled) return;
    e.preventDefault();
    set(now.azimuth + s[0], now.elevation + s[1]);
    clearTimeout(timer);
    timer = window.setTimeout(settle, 400);
  }
  onMount(() => () => clearTimeout(timer));
</script>

<svg
  bind:this={box}
  width="72"
  height="72"
  viewBox="0 0 72 72"
  class="touch-none rounded-full bg-leaf/90 shadow-sm {disabled ? '' : 'cursor-grab'}"
  role="slider"
  tabindex={disabled ? -1 : 0}
  aria-label="sun"
  aria-valuenow={now.azimuth}
  aria-valuemin={0}
  aria-valuemax={360}
  aria-valuetext="from {now.azimuth} degrees, {now.elevation} degrees high"
  onpointerdown={(e) => {
    if (disabled || e.button !== 0) return;
    box.setPointerCapture(e.pointerId);
    place(e);
  }}
  onpointermove={(e) => box.hasPointerCapture(e.pointerId) && place(e)}
  onpointerup={settle}
  onkeydown={key}
>
  <circle cx="36" cy="36" r="35" fill="none" stroke="var(--line)" />
  <circle cx="36" cy="36" r="27" fill="none" stroke="var(--line)" />
  <circle cx="36" cy="36" r="13.5" fill="none" stroke="var(--line)" stroke-dasharray="1.5 2.5" />
  {#each [0, 90, 180, 270] as a (a)}<path d="M36 6v4" stroke="var(--soft)" transform="rotate({a} 36 36)" />{/each}
  <path d="M36 36L{x} {y}" stroke="var(--ochre-mark)" stroke-width="2" />
  <circle cx={x} cy={y} r="5" fill="var(--ochre-mark)" />
  <text
    x="36"
    y={y > 38 ? 21 : 58}
    text-anchor="middle"
    font-size="9.5"
    fill="var(--ink)"
    paint-order="stroke"
    stroke="var(--leaf)"
    stroke-width="3">{now.elevation}° high</text
  >
</svg>
