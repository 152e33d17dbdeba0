<script lang="ts">
  /** What is laid along a line, seen from one side, made straight and to scale; openings of its own are dragged along it. */
  import { Button, Spinner } from 'flowbite-svelte';
  import { api, said, take, type Elevation, type Layer, type WallValues } from '../api/client';
  import { chainageStep } from '../state/along';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import { lineAt, placeAt, stonePaths, type Line, type Opening } from '../state/walls';

  let { open, layer }: { open: SceneStore; layer: Layer } = $props();
  const TALL = 118; // pixels for what stands
  const HEAD = 18; // above it, for names
  const FOOT = 16; // below it, for chainage
  let face = $state<'right' | 'left'>('right');
  let found = $state.raw<Elevation | null>(null);
  let failure = $state('');
  let wide = $state(1200);
  let line = $state.raw<Line>([]);
  let held = $state<{ id: string; from: number; by: number } | null>(null);
  const view = $derived(open.view(layer.id));
  const openings = $derived(((layer.parameters as unknown as WallValues).openings ?? []) as Opening[]);
  const disabled = $derived(!open.canEdit || layer.locked);

  $effect(() => {
    const run = new AbortController();
    void view?.key; // whatever changes it changes how it looks
    const path = { scene_id: open.id, layer_id: layer.id };
    take<Elevation>(
      api.GET('/api/scenes/{scene_id}/layers/{layer_id}/elevation', {
        params: { path, query: { face } },
        signal: run.signal,
      }),
    )
      .then((e) => ((found = e), (failure = '')))
      .catch((error: unknown) => {
        if (!run.signal.aborted) failure = said(error);
      });
    return () => run.abort();
  });
  $effect(() => {
    const address = view?.curves?.[0]?.line;
    if (address) void lineAt(address).then((l) => view?.curves?.[0]?.line === address && (line = l));
  });

  const high = $derived(found ? Math.max(found.high - found.low, 0.2) : 1);
  /** Pixels of a metre: as tall as there is room for, and no smaller than fills the width. */
  const scale = $derived(found ? Math.min(TALL / high, Math.max(90, (wide - 40) / found.length)) : 1);
  const across = $derived(found ? found.length * scale : 0);
  const base = HEAD + TALL;
  const x = (metres: number) => (face === 'right' ? metres : (found?.length ?? 0) - metres) * scale;
  const y = (metres: number) => base - (metres - (found?.low ?? 0)) * scale;
  const step = $derived(found ? chainageStep(found.length, 16) : 1);
  const marks = $derived(
    found ? Array.from({ length: Math.floor(found.length / step + 1e-6) + 1 }, (_, k) => k * step) : [],
  );
  const paths = $derived(
    found ? stonePaths(found.stones, scale / 1000, base, face === 'right' ? null : found.length * scale) : [],
  );
  const ground = $derived(
    found
      ? `M${x(found.ground[0]![0])} ${base + FOOT}` +
          found.ground.map(([s, h]) => `L${x(s).toFixed(1)} ${y(h).toFixed(1)}`).join('') +
          `L${x(found.ground.at(-1)![0])} ${base + FOOT}Z`
      : '',
  );
  const moved = (id: string) => (held?.id === id ? held.by : 0);

  /** All openings, with one of them so many metres further along. */
  function shifted(id: string, by: number): Opening[] {
    const gap = found?.gaps.find((g) => g.id === id);
    if (!gap || !found) return openings;
    const middle = Math.min(Math.max(0, 0.5 * (gap.start + gap.end) + by), found.length);
    return openings.map((o) => (o.id === id ? { ...o, at: placeAt(line, middle) } : o));
  }

  function drag(event: PointerEvent) {
    if (!held) return;
    const way = face === 'right' ? 1 : -1;
    held = { ...held, by: Math.round(((event.clientX - held.from) / scale) * way * 20) / 20 };
    void open.draft(layer.id, { openings: shifted(held.id, held.by) });
  }

  function drop() {
    if (held?.by) keep(held.id, held.by);
    else if (held) void open.evaluate();
    held = null;
  }

  const keep = (id: string, by: number) =>
    void open.edit({ op: 'layer', id: layer.id, parameters: { openings: shifted(id, by) } });

  function key(event: KeyboardEvent, id: string) {
    const way = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (!way || disabled) return;
    event.preventDefault();
    keep(id, way * (face === 'right' ? 1 : -1) * (event.shiftKey ? 0.5 : 0.05));
  }
  const named = (g: Elevation['gaps'][number]) => g.path || `opening ${openings.findIndex((o) => o.id === g.id) + 1}`;
</script>

<svelte:window
  onkeydowncapture={(e) => {
    if (e.key !== 'Escape' || held) return;
    e.stopPropagation();
    open.elevation = '';
  }}
/>

<section class="flex min-h-(--strip-tall) flex-col px-4 pt-2 pb-2" aria-label="elevation of {layer.name}">
  <div class="mb-1 flex items-center gap-3">
    <h2 class="text-[15px]">{layer.name}, seen from its {face}</h2>
    <span class="flex-1 text-[12.5px] text-soft" role="status">
      {#if failure}It could not be drawn: {failure}.{:else if found}{found.length.toFixed(1)} m · {found.stones.length.toLocaleString(
          'en',
        )} to be seen{openings.length && !disabled
          ? ' · drag an opening of its own along, or move it by arrows'
          : ''}{/if}
    </span>
    {#each ['right', 'left'] as const as side (side)}
      <Button
        size="xs"
        color={face === side ? 'primary' : 'alternative'}
        aria-pressed={face === side}
        onclick={() => (face = side)}>{side === 'right' ? 'From its right' : 'From its left'}</Button
      >
    {/each}
    <Button size="xs" color="alternative" onclick={() => (open.elevation = '')}>Put away</Button>
  </div>
  <div class="overflow-x-auto rounded border border-line bg-leaf" bind:clientWidth={wide}>
    {#if found}
      <svg
        width={across + 24}
        height={HEAD + TALL + FOOT}
        class="block select-none"
        role="group"
        aria-label="from its {face === 'right' ? 'start' : 'end'} at the left"
        data-stones={found.stones.length}
        onpointermove={drag}
        onpointerup={drop}
        onpointercancel={drop}
      >
        <g transform="translate(12 0)">
          {#each paths as d, tone (tone)}
            <path
              {d}
              fill="color-mix(in srgb, {layer.parameters.light ?? '#a39a88'} {100 - 16 * tone}%, {layer.parameters
                .dark ?? '#6b6152'})"
              stroke="color-mix(in srgb, {layer.parameters.dark ?? '#6b6152'} 45%, #0d0b08)"
              stroke-width={Math.min(1, 0.016 * scale)}
            />
          {/each}
          <path d={ground} fill="var(--leaf)" />
          <path d={ground} fill="var(--line)" fill-opacity="0.5" stroke="var(--soft)" stroke-width="1" />
          {#each marks as m (m)}
            <line x1={x(m)} x2={x(m)} y1={base + FOOT - 15} y2={base + FOOT - 11} stroke="var(--ink)" />
            <text
              x={x(m)}
              y={base + FOOT - 2}
              text-anchor={m === 0 ? (face === 'right' ? 'start' : 'end') : 'middle'}
              font-size="9.5"
              fill="var(--ink)">{m}</text
            >
          {/each}
          {#each found.knots as at, k (k)}
            <path d="M{x(at)} {HEAD - 2}l3.5 3.5-3.5 3.5-3.5-3.5z" fill="var(--leaf)" stroke="var(--soft)" />
          {/each}
          {#each found.gaps as g (g.id)}
            {@const [a, b] = [x(g.start + moved(g.id)), x(g.end + moved(g.id))]}
            {@const own = !g.path}
            <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
            <g
              role={own ? 'slider' : 'img'}
              tabindex={own && !disabled ? 0 : undefined}
              aria-label={named(g)}
              aria-valuenow={own ? 0.5 * (g.start + g.end) + moved(g.id) : undefined}
              aria-valuemin={own ? 0 : undefined}
              aria-valuemax={own ? found.length : undefined}
              class={own && !disabled ? 'cursor-ew-resize' : ''}
              data-gap={g.id}
              onpointerdown={(e) => {
                if (!own || disabled) return;
                held = { id: g.id, from: e.clientX, by: 0 };
                e.currentTarget.setPointerCapture(e.pointerId);
              }}
              onkeydown={(e) => own && key(e, g.id)}
            >
              <rect
                x={Math.min(a, b)}
                y={y(g.high)}
                width={Math.abs(b - a)}
                height={Math.max(2, (g.high - g.low) * scale)}
                fill={own ? 'var(--moss)' : 'var(--slate)'}
                fill-opacity="0.14"
                stroke={own ? 'var(--moss)' : 'var(--slate)'}
                stroke-width="1.5"
                stroke-dasharray={own ? undefined : '4 3'}
              />
              <text
                x={0.5 * (a + b)}
                y={Math.max(10, y(g.high) - 4)}
                text-anchor="middle"
                font-size="10.5"
                fill={own ? 'var(--moss)' : 'var(--slate)'}
                paint-order="stroke"
                stroke="var(--leaf)"
                stroke-width="3">{named(g)}</text
              >
            </g>
          {/each}
        </g>
      </svg>
    {:else if !failure}
      <div class="flex items-center justify-center" style:height="{HEAD + TALL + FOOT}px"><Spinner size="5" /></div>
    {/if}
  </div>
</section>
