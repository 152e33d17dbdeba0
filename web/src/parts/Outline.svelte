<script lang="ts">
  /** The outline of the selected area or path over the view, with corners to drag; and the one being drawn. */
  import * as THREE from 'three';
  import type { Layer } from '../api/client';
  import { drawn, uiOf } from '../layers/registry';
  import type { World } from '../view/world';

  type P = [number, number];
  let {
    world,
    layer,
    frame,
    drawing,
    disabled,
    oninput,
    onchange,
  }: {
    world: World;
    layer: Layer | undefined;
    frame: number; // grows with each picture, so that the outline follows the camera
    drawing: P[] | null;
    disabled: boolean;
    oninput: (name: string, points: P[]) => void;
    onchange: (name: string, points: P[]) => void;
  } = $props();

  const row = $derived(layer ? drawn(layer.kind) : undefined);
  const name = $derived(row?.path ?? '');
  const point = $derived(uiOf(layer?.kind ?? '').point ?? 'point');
  let live = $state<P[] | null>(null);
  let held = $state<number | null>(null);
  const points = $derived(drawing ?? live ?? ((layer?.parameters[name] ?? []) as P[]));
  const closed = $derived(Boolean(row?.closed) && !drawing);

  function place(x: number, z: number): { x: number; y: number } | null {
    const y = world.field?.height(x, z) ?? 0;
    return world.stage.project(new THREE.Vector3(x, y + 0.2, z));
  }
  const screen = $derived.by(() => {
    void frame;
    return points.map(([x, z]) => place(x, z));
  });
  const line = $derived.by(() => {
    void frame;
    if (drawing) return svg(screen);
    if (!layer) return '';
    if (live && closed) return svg([...screen, screen[0] ?? null]);
    return world
      .lines(layer.id)
      .map((line) => svg(line.map((p) => world.stage.project(p))))
      .join('');
  });
  const middles = $derived.by(() => {
    void frame;
    if (drawing || live || disabled) return [];
    return points.slice(0, closed ? undefined : -1).map(([x, z], i) => {
      const [nx, nz] = points[(i + 1) % points.length] as P;
      return { i, at: place((x + nx) / 2, (z + nz) / 2) };
    });
  });

  function svg(list: ({ x: number; y: number } | null)[]): string {
    let out = '';
    let pen = false;
    for (const p of list) {
      out += p ? `${pen ? 'L' : 'M'}${p.x.toFixed(1)} ${p.y.toFixed(1)}` : '';
      pen = p !== null;
    }
    return out;
  }

  function press(event: PointerEvent, i: number, add = false) {
    if (disabled || event.button !== 0) return;
    event.stopPropagation();
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    held = i;
    if (add) {
      const ground = world.groundAt(event);
      if (!ground) return;
      live = [...points.slice(0, i), [tidy(ground.x), tidy(ground.z)], ...points.slice(i)];
    } else live = [...points];
  }
  const tidy = (v: number) => Math.round(v * 100) / 100;

  function drag(event: PointerEvent) {
    if (held === null || !live) return;
    const ground = world.groundAt(event);
    if (!ground) return;
    live = live.map((p, i) => (i === held ? [tidy(ground.x), tidy(ground.z)] : p));
    oninput(name, live);
  }

  function settle() {
    if (live) onchange(name, live);
    live = null;
    held = null;
  }

  function key(event: KeyboardEvent, i: number) {
    if (disabled) return;
    const step = event.shiftKey ? 0.1 : 1;
    const way: Record<string, P> = {
      ArrowLeft: [-step, 0],
      ArrowRight: [step, 0],
      ArrowUp: [0, -step],
      ArrowDown: [0, step],
    };
    const w = way[event.key];
    if (w)
      onchange(
        name,
        points.map((p, k) => (k === i ? [tidy(p[0] + w[0]), tidy(p[1] + w[1])] : p)),
      );
    else if ((event.key === 'Delete' || event.key === 'Backspace') && points.length > (row?.least ?? 1))
      onchange(
        name,
        points.filter((_, k) => k !== i),
      );
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<svg
  class="pointer-events-none absolute inset-0 h-full w-full"
  aria-label="outline of {layer?.name ?? 'the new layer'}"
  role="group"
>
  <path d={line} fill="none" stroke="#232b20" stroke-opacity="0.45" stroke-width="5" stroke-linejoin="round" />
  <path
    d={line}
    fill="none"
    stroke="#f4efdf"
    stroke-width="2.2"
    stroke-dasharray={drawing ? '6 5' : ''}
    stroke-linejoin="round"
  />
  {#each middles as m (m.i)}
    {#if m.at}
      <circle
        class="pointer-events-auto cursor-copy"
        role="presentation"
        cx={m.at.x}
        cy={m.at.y}
        r="4"
        fill="#f4efdf"
        fill-opacity="0.75"
        stroke="#3f5b6b"
        onpointerdown={(e) => press(e, m.i + 1, true)}
        onpointermove={drag}
        onpointerup={settle}
      />
    {/if}
  {/each}
  {#each screen as p, i (i)}
    {#if p}
      <circle
        class={drawing ? '' : 'pointer-events-auto cursor-move'}
        role="button"
        tabindex={disabled || drawing ? -1 : 0}
        aria-label="{point} {i + 1}"
        cx={p.x}
        cy={p.y}
        r={held === i ? 9 : 7}
        fill="#faf7ee"
        stroke="#3f5b6b"
        stroke-width="2.5"
        onpointerdown={(e) => press(e, i)}
        onpointermove={drag}
        onpointerup={settle}
        onkeydown={(e) => key(e, i)}
      />
    {/if}
  {/each}
</svg>
