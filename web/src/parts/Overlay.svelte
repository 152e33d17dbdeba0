<script lang="ts">
  /** What the tool in hand shows over the view: its lines, its marks to grip, the keyboard's cross. */
  import { pathOf } from '../view/overlay';
  import type { ToolHost } from '../view/tools/host.svelte';
  import type { Point } from '../view/tools/tool';

  let { host, label }: { host: ToolHost; label: string } = $props();
  let root: SVGElement;
  const project = (p: Point) => host.stage.project(p);
  const strokes = $derived.by(() => {
    void host.turn;
    return (host.tool?.strokes() ?? []).map((s) => ({ ...s, d: pathOf(project, s.points) }));
  });
  const labels = $derived.by(() => {
    void host.turn;
    return (host.tool?.labels?.() ?? []).flatMap(({ text, at }) => {
      const spot = project(at);
      return spot && Number.isFinite(spot.x + spot.y) ? [{ text, spot }] : [];
    });
  });
  const marks = $derived.by(() => {
    void host.turn;
    const all = (host.tool?.marks() ?? []).map((m) => ({ ...m, spot: project(m.at) }));
    return all.filter((m) => m.spot && Number.isFinite(m.spot.x + m.spot.y));
  });
  $effect(() => {
    void marks;
    const wanted = host.tool?.focus;
    const found = wanted && root.querySelector<SVGElement>(`[data-mark="${wanted}"]`);
    if (!found || !host.tool) return;
    host.tool.focus = undefined;
    found.focus();
  });
</script>

{#snippet dot(m: (typeof marks)[number])}
  <circle
    class="shown"
    cx={m.spot?.x}
    cy={m.spot?.y}
    r={host.held === m.key ? 9 : m.adds ? 4 : 7}
    fill="#faf7ee"
    fill-opacity={m.adds ? 0.75 : 1}
    stroke="#3f5b6b"
    stroke-width={m.adds ? 1.5 : 2.5}
  />
{/snippet}

<svg bind:this={root} class="pointer-events-none absolute inset-0 h-full w-full" role="group" aria-label={label}>
  {#each strokes as s, i (i)}
    <path d={s.d} fill="none" stroke="#232b20" stroke-opacity="0.45" stroke-width="5" stroke-linejoin="round" />
    <path
      d={s.d}
      fill="none"
      stroke="#f4efdf"
      stroke-width="2.2"
      stroke-dasharray={s.dashed ? '6 5' : ''}
      stroke-linejoin="round"
    />
  {/each}
  {#each labels as { text, spot } (text)}
    <text
      x={spot.x + 8}
      y={spot.y + 4}
      class="text-[12px]"
      fill="#faf7ee"
      stroke="#232b20"
      stroke-opacity="0.75"
      stroke-width="3"
      paint-order="stroke">{text}</text
    >
  {/each}
  {#each marks as m (m.key)}
    {#if host.tool?.alone}
      {@render dot(m)}
    {:else}
      <g
        data-mark={m.key}
        class="mark pointer-events-auto {m.adds ? 'cursor-copy' : 'cursor-move'}"
        role="button"
        tabindex="0"
        aria-label={m.label}
        onpointerdown={(e) => host.press(e, m.key)}
        onkeydown={(e) => host.markKey(e, m.key, m.adds)}
        onkeyup={() => host.settle()}
        onblur={() => host.settle()}
      >
        <circle cx={m.spot?.x} cy={m.spot?.y} r={m.adds ? 12 : 14} fill="transparent" />
        {@render dot(m)}
      </g>
    {/if}
  {/each}
  {#if host.cross}
    {@const { x, y } = host.cross}
    {#each [{ width: 4, color: '#232b20' }, { width: 1.8, color: '#faf7ee' }] as line (line.width)}
      <path
        d="M{x - 13} {y}h9M{x + 4} {y}h9M{x} {y - 13}v9M{x} {y + 4}v9"
        stroke={line.color}
        stroke-width={line.width}
        stroke-linecap="round"
      />
    {/each}
  {/if}
</svg>

<style>
  .mark:focus {
    outline: none;
  }
  .mark:focus-visible .shown {
    stroke: #232b20;
    stroke-width: 4;
    fill: #f0c35a;
  }
</style>
