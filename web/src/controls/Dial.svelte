<script lang="ts">
  /** A dial from above: a direction about its middle, and an amount by the distance from it. */
  import type { Snippet } from 'svelte';

  interface Turn {
    azimuth: number;
    amount: number;
  }
  let {
    value,
    label,
    words,
    limits,
    step,
    strides,
    turned = 0,
    amountAt,
    face,
    disabled = false,
    oninput,
    onchange,
  }: {
    /** Degrees clockwise from north, and the amount. */
    value: Turn;
    label: string;
    words: (now: Turn) => string;
    limits: [number, number];
    /** Of the amount. */
    step: number;
    /** By how much one press of an arrow turns it, in degrees, and changes its amount. */
    strides: [number, number];
    /** Degrees by which what is dragged lies beyond the azimuth. */
    turned?: number;
    /** The amount for a distance from the middle, of 36 to the rim. */
    amountAt: (distance: number) => number;
    face: Snippet<[Turn]>;
    disabled?: boolean;
    oninput: (next: Turn) => void;
    onchange: (next: Turn) => void;
  } = $props();
  let live = $state<Turn | null>(null);
  let box: SVGSVGElement;
  let timer = 0;
  const now = $derived(live ?? value);

  function set(azimuth: number, amount: number) {
    const within = Math.min(limits[1], Math.max(limits[0], amount));
    live = { azimuth: ((Math.round(azimuth) % 360) + 360) % 360, amount: Math.round(within / step) * step };
    oninput(live);
  }
  function place(event: PointerEvent) {
    const r = box.getBoundingClientRect();
    const dx = event.clientX - r.left - r.width / 2;
    const dy = event.clientY - r.top - r.height / 2;
    set((Math.atan2(dx, -dy) * 180) / Math.PI - turned, amountAt(Math.hypot(dx, dy) / (r.width / 72)));
  }
  function settle() {
    clearTimeout(timer);
    if (live) onchange(live);
    live = null;
  }
  function key(event: KeyboardEvent) {
    const step: Record<string, [number, number]> = {
      ArrowLeft: [-strides[0], 0],
      ArrowRight: [strides[0], 0],
      ArrowUp: [0, strides[1]],
      ArrowDown: [0, -strides[1]],
    };
    const s = step[event.key];
    if (!s || disabled) return;
    event.preventDefault();
    set(now.azimuth + s[0], now.amount + s[1]);
    clearTimeout(timer);
    timer = window.setTimeout(settle, 400);
  }
</script>

<svg
  bind:this={box}
  width="72"
  height="72"
  viewBox="0 0 72 72"
  class="touch-none rounded-full bg-leaf/90 shadow-sm {disabled ? '' : 'cursor-grab'}"
  role="slider"
  tabindex={disabled ? -1 : 0}
  aria-label={label}
  aria-disabled={disabled}
  aria-valuenow={now.azimuth}
  aria-valuemin={0}
  aria-valuemax={360}
  aria-valuetext={words(now)}
  onpointerdown={(e) => {
    if (disabled || e.button !== 0) return;
    box.setPointerCapture(e.pointerId);
    place(e);
  }}
  onpointermove={(e) => box.hasPointerCapture(e.pointerId) && place(e)}
  onpointerup={settle}
  onlostpointercapture={settle}
  onblur={settle}
  onkeydown={key}
>
  <circle cx="36" cy="36" r="35" fill="none" stroke="var(--line)" />
  <circle cx="36" cy="36" r="27" fill="none" stroke="var(--line)" />
  {@render face(now)}
</svg>
