<script lang="ts">
  /** Points in space or on the ground: typed here, dragged in the view. */
  import type { Row } from '../api/client';
  import PointList from './PointList.svelte';

  let {
    row,
    value,
    disabled = false,
    reach = 1,
    onchange,
  }: { row: Row; value: number[][]; disabled?: boolean; reach?: number; onchange: (v: number[][]) => void } = $props();
  const level = $derived(row.control !== 'guide');
  const most = $derived(row.most ?? Infinity);
  const least = $derived(row.least ?? 0);
  const own = $derived(row.own ?? []);
  const names = $derived([...(level ? ['east', 'south'] : ['east', 'up', 'south']), ...own.map(([name]) => name)]);
  const PLACE = $derived(names.length - own.length);
  // what a point has of its own is told by 0 where it has nothing
  const shown = $derived(own.length ? value.map((p) => [...p, ...own.map(() => 0)].slice(0, names.length)) : value);
  const kept = (points: number[][]) => points.map((p) => (p.slice(PLACE).some((v) => v) ? p : p.slice(0, PLACE)));

  function add() {
    const last = value.at(-1);
    const before = value.at(-2);
    if (!last)
      return onchange([
        [0.02, 0.34 * reach, 0],
        [-0.02, 0.68 * reach, 0],
        [0, reach, 0],
      ]);
    const step = before ? last.map((v, k) => v - (before[k] ?? 0)) : last;
    onchange([
      ...value,
      last.slice(0, PLACE).map((v, k) => Math.round((v + (step[k] ?? 0) * (level ? 1 : 0.4)) * 100) / 100),
    ]);
  }
</script>

{#snippet list()}
  <PointList
    value={shown}
    {names}
    unit={row.unit}
    begin={value.length ? 'Add a point' : 'Draw a guide'}
    {least}
    {most}
    {disabled}
    onchange={(points) => onchange(kept(points))}
    onadd={add}
  />
{/snippet}

{#if row.control === 'points'}
  <details class="py-1" data-field={row.path}>
    <summary class="cursor-pointer py-1">
      {row.title}: {value.length}, <span class="text-soft">{names.join(', ')}</span>
    </summary>
    {@render list()}
  </details>
{:else}
  <div class="py-1" data-field={row.path}>
    <div class="mb-1 flex items-baseline justify-between gap-2">
      <span class="font-serif text-[13px] font-semibold" title={row.help}>{row.title}</span>
      <span class="text-[11.5px] text-soft">{value.length ? 'drag the points in the view' : 'none'}</span>
    </div>
    {@render list()}
  </div>
{/if}
