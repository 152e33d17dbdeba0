<script lang="ts">
  /** The wind from above: drag the arrow's tip; its length is the speed. */
  interface Wind {
    azimuth: number;
    speed: number;
  }
  let {
    wind,
    disabled = false,
    oninput,
    onchange,
  }: { wind: Wind; disabled?: boolean; oninput: (w: Wind) => void; onchange: (w: Wind) => void } = $props();
  const MOST = 16;
  let live = $state<Wind | null>(null);
  let box: SVGSVGElement;
  const now = $derived(live ?? wind);
  const length = $derived(8 + 19 * Math.min(1, now.speed / MOST));
  const a = $derived(((now.azimuth + 180) * Math.PI) / 180);
  const [sx, sy] = $derived([Math.sin(a), -Math.cos(a)]);

  function place(event: PointerEvent) {
    const r = box.getBoundingClientRect();
    const dx = event.clientX - r.left - r.width / 2;
    const dy = event.clientY - r.top - r.height / 2;
    const d = Math.hypot(dx, dy) / (r.width / 72);
    const towards = (Math.atan2(dx, -dy) * 180) / Math.PI;
    set(towards + 180, (Math.max(0, Math.min(27, d) - 8) / 19) * MOST);
  }
  function set(azimuth: number, speed: number) {
    live = { azimuth: Math.round((azimuth + 720) % 360), speed: Math.round(Math.min(30, Math.max(0, speed)) * 2) / 2 };
    oninput(live);
  }
  function settle() {
    if (live) onchange(live);
    live = null;
  }
  let timer = 0;
  function key(e: KeyboardEvent) {
    const step: Record<string, [number, number]> = {
      ArrowLeft: [-5, 0],
      ArrowRight: [5, 0],
      ArrowUp: [0, 0.5],
      ArrowDown: [0, -0.5],
    };
    const s = step[e.key];
    if (!s || disabled) return;
    e.preventDefault();
    set(now.azimuth + s[0], now.speed + s[1]);
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
  aria-label="wind"
  aria-valuenow={now.speed}
  aria-valuemin={0}
  aria-valuemax={30}
  aria-valuetext="{now.speed} metres a second from {now.azimuth} degrees"
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
  <g stroke="var(--slate)" stroke-width="2.2" fill="none" stroke-linecap="round" stroke-linejoin="round">
    <path d="M{36 - sx * length} {36 - sy * length}L{36 + sx * length} {36 + sy * length}" />
    <path
      d="M{36 + sx * length - sx * 6 - sy * 4} {36 + sy * length - sy * 6 + sx * 4}L{36 + sx * length} {36 +
        sy * length}L{36 + sx * length - sx * 6 + sy * 4} {36 + sy * length - sy * 6 - sx * 4}"
    />
  </g>
  <text
    x="36"
    y={sy > 0.5 ? 16 : 62}
    text-anchor="middle"
    font-size="9.5"
    fill="var(--ink)"
    paint-order="stroke"
    stroke="var(--leaf)"
    stroke-width="3">{now.speed} m/s</text
  >
</svg>
