<script lang="ts">
  /** Over the view: where two releases differ, each place with a mark by what became of it. */
  import { CloseButton } from 'flowbite-svelte';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import type { ToolHost } from '../view/tools/host.svelte';

  let { open, host }: { open: SceneStore; host: ToolHost } = $props();
  const MARKS = [
    ['added', '#7fb45c'],
    ['removed', '#d9764f'],
    ['moved', '#e9c04d'],
  ] as const;
  const NEAR = 70; // metres
  let canvas: HTMLCanvasElement;
  const marked = $derived(open.marked);
  const count = (word: 'added' | 'removed' | 'moved') =>
    (marked?.layers ?? []).reduce((sum, l) => sum + l[word], 0).toLocaleString('en');

  $effect(() => {
    void host.turn;
    const found = open.marked;
    const { stage } = host;
    const ratio = window.devicePixelRatio;
    canvas.width = stage.width * ratio;
    canvas.height = stage.height * ratio;
    const pen = canvas.getContext('2d');
    if (!pen || !found) return;
    pen.scale(ratio, ratio);
    pen.lineCap = 'round';
    const eye = stage.camera.position;
    /** Marks of what is near, dark below so that they are seen on any ground; farther off they are smaller and bare. */
    const draw = <T extends number[]>(rows: T[], color: string, mark: (row: T, size: number) => void) => {
      const away = (r: T) => Math.hypot((r[0] ?? 0) - eye.x, (r[1] ?? 0) - eye.y, (r[2] ?? 0) - eye.z);
      const near = rows.filter((r) => away(r) < NEAR);
      const far = rows.filter((r) => away(r) >= NEAR);
      for (const [some, size, style, width] of [
        [far, 2, color, 1],
        [near, 5, 'rgba(35,43,32,0.6)', 4.5],
        [near, 5, color, 2],
      ] as const) {
        pen.strokeStyle = style;
        pen.lineWidth = width;
        pen.beginPath();
        for (const row of some) mark(row, size);
        pen.stroke();
      }
    };
    const spot = (x: number, y: number, z: number) => {
      const p = stage.project({ x, y, z });
      const inside = p && p.x > -20 && p.y > -20 && p.x < stage.width + 20 && p.y < stage.height + 20;
      return inside ? p : null;
    };
    const across = ([x, y, z]: [number, number, number], size: number, upright: boolean) => {
      const p = spot(x, y, z);
      if (!p) return;
      pen.moveTo(p.x - size, p.y);
      pen.lineTo(p.x + size, p.y);
      if (!upright) return;
      pen.moveTo(p.x, p.y - size);
      pen.lineTo(p.x, p.y + size);
    };
    draw(found.added, MARKS[0][1], (row, size) => across(row, size, true));
    draw(found.removed, MARKS[1][1], (row, size) => across(row, size, false));
    draw(found.moved, MARKS[2][1], ([x, y, z, u, v, w], size) => {
      const [a, b] = [spot(x, y, z), spot(u, v, w)];
      if (!a || !b) return;
      pen.moveTo(a.x, a.y);
      pen.lineTo(b.x, b.y);
      pen.moveTo(b.x + 0.8 * size, b.y);
      pen.arc(b.x, b.y, 0.8 * size, 0, 2 * Math.PI);
    });
  });
</script>

<canvas
  bind:this={canvas}
  class="pointer-events-none absolute inset-0 h-full w-full"
  data-marks={marked ? marked.added.length + marked.removed.length + marked.moved.length : 0}
></canvas>
{#if marked}
  <div
    class="absolute bottom-16 left-3.5 z-10 flex items-center gap-3 rounded bg-[#232b20]/85 py-1 pr-1 pl-3 text-[13px] text-[#faf7ee]"
    role="status"
    aria-label="what differs"
  >
    <b class="font-serif">Release {marked.before} → {marked.after}</b>
    {#each MARKS as [word, color], k (word)}
      <span class="flex items-center gap-1 whitespace-nowrap tabular-nums"
        ><b style:color aria-hidden="true">{['+', '−', '○'][k]}</b>{count(word)}
        {word === 'removed' ? 'gone' : word}</span
      >
    {/each}
    <CloseButton size="xs" class="text-[#faf7ee]" ariaLabel="hide what differs" onclick={() => (open.marked = null)} />
  </div>
{/if}
