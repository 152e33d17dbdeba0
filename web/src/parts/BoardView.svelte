<script lang="ts">
  /** The coloured plate: the scene in three dimensions, and what is drawn over it. */
  import { Alert, Button, Spinner, ToolbarButton } from 'flowbite-svelte';
  import * as THREE from 'three';
  import { onMount, untrack } from 'svelte';
  import { said, type Viewpoint } from '../api/client';
  import { drawn, kindOf, uiOf } from '../layers/registry';
  import type { Edit } from '../state/editQueue';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import { lensOf } from '../view/lens';
  import { quality } from '../view/quality';
  import { Stage } from '../view/stage';
  import type { Spot } from '../view/tools/tool';
  import { DrawTool } from '../view/tools/draw';
  import { ToolHost } from '../view/tools/host.svelte';
  import { ShapeTool } from '../view/tools/shape';
  import { World } from '../view/world';
  import Overlay from './Overlay.svelte';
  import SkyPanel from './SkyPanel.svelte';
  import StillDialog from './StillDialog.svelte';
  import SunDial from './SunDial.svelte';
  import WindVane from './WindVane.svelte';
  import Camera from '@lucide/svelte/icons/camera';
  import CloudSun from '@lucide/svelte/icons/cloud-sun';
  import X from '@lucide/svelte/icons/x';

  let {
    open,
    away,
    drawing = $bindable(null),
    onready,
  }: {
    open: SceneStore;
    away: boolean; // another view has the renderer
    drawing?: string | null;
    onready: () => void; // something is seen, or long in coming
  } = $props();
  let host: HTMLElement;
  let world = $state.raw<World | null>(null);
  let tools = $state.raw<ToolHost | null>(null);
  let frame = $state(0);
  let loaded = $state(false);
  let failure = $state('');
  let moving = $state(false);
  let developed = $state(0);
  let weather = $state(false);
  let still = $state(false);
  let contours = $state(0);
  let scale = $state({ metres: 20, pixels: 100 });
  let current = $state('');
  const viewpoints = $derived(open.scene?.settings.viewpoints ?? []);
  const selected = $derived(open.layer(open.selected));
  const shaped = $derived(selected && drawn(selected.kind) ? selected.id : '');
  let lastEye = new THREE.Vector3(1e9, 0, 0);
  let pictured = false;
  let shown = $state(false);
  let pointed = $state.raw<Spot | null>(null); // where the pointer is over something of a layer

  onMount(() => {
    let stage: Stage;
    try {
      const { sun, sky } = open.scene?.settings ?? {};
      stage = new Stage(host, sun && sky && { ...sun, ...sky });
    } catch (error) {
      failure = `the picture cannot be drawn: ${said(error)}. Plough needs a browser with WebGL 2.`;
      return;
    }
    world = new World(stage);
    const inHand = (tools = new ToolHost(stage, {
      draft: (path, value) => open.draft(open.selected, { [path]: value }),
      apply,
      cancelled: () => void open.evaluate(),
      click: (spot) => {
        void world?.pick(spot).then((found) => {
          if (found) open.selected = found.layer;
        });
      },
      point: (spot) => {
        const found = spot && world?.under(spot);
        open.pointed = found ? found.layer : '';
        pointed = found ? spot : null;
      },
      leave: () => (drawing = null),
    }));
    stage.onDrawn = (coarse) => {
      frame++;
      moving = coarse;
      shown = world?.shown ?? false;
      developed = stage.developed;
      inHand.drawn();
      measure(stage);
      if (!coarse) rested(stage);
    };
    const first = viewpoints[0];
    if (first) go(first);
    else stage.look({ x: -60, y: 40, z: 80 }, { x: 0, y: 0, z: 0 });
    return () => {
      open.stills.cancel();
      open.stills.camera = null;
      inHand.dispose();
      world?.dispose();
      stage.dispose();
    };
  });

  $effect(() => {
    const [now, scene] = [world, untrack(() => open.scene)];
    if (!now) return;
    if (!away) {
      (window as unknown as { plough: unknown }).plough = { stage: now.stage, world: now }; // for the browser tests, which ask what is drawn
      return;
    }
    open.stills.camera = null;
    pointed = null;
    now.stage.leave();
    return () => {
      now.stage.take();
      if (loaded) lend(now);
      if (scene) now.setSettings((open.scene ?? scene).settings);
    };
  });

  // bring the view in step with what the scene came to
  $effect(() => {
    const [now, evaluation, scene] = [world, open.evaluation, open.scene];
    if (!now || !evaluation || !scene) return;
    untrack(() => {
      now
        .show(evaluation, scene.layers)
        .then((done) => {
          if (!done) return;
          loaded = true;
          if (!away) lend(now);
          failure = '';
        })
        .catch((error: unknown) => {
          if (error instanceof DOMException && error.name === 'AbortError') return;
          failure = `the view could not be brought up to date: ${said(error)}`;
          if (open.evaluation === evaluation && !open.offline)
            setTimeout(() => open.evaluation === evaluation && open.evaluate(), 1500);
        });
    });
  });
  $effect(() => {
    if (world && open.scene) world.setSettings(open.scene.settings);
  });
  $effect(() => {
    world?.setContours(contours);
  });
  let ready = $state(false);
  $effect(() => {
    // in a turn of its own: it takes longer than to show what is drawn
    setTimeout(() => (ready = true), shown || failure ? 0 : 1500);
  });
  $effect(() => {
    if (ready) onready();
  });
  // the lens of the viewpoint that the view was set to, as it is kept
  $effect(() => {
    const kept = viewpoints.find((v) => v.id === current);
    if (kept) untrack(() => look(kept));
  });

  function rested(stage: Stage) {
    const eye = stage.camera.position;
    open.eye = [eye.x, eye.y, eye.z];
    if (loaded && lastEye.distanceTo(eye) > 2 && !open.computing) {
      const first = lastEye.x === 1e9;
      lastEye = eye.clone();
      if (!first) void open.evaluate();
    }
    if (loaded && !pictured && open.canEdit) {
      pictured = true;
      setTimeout(() => void keepPicture(stage), 2500);
    }
  }

  async function keepPicture(stage: Stage) {
    const picture = await stage.picture(640).catch(() => null);
    if (picture)
      await fetch(`/api/scenes/${open.id}/picture`, {
        method: 'PUT',
        body: picture,
        headers: { 'Content-Type': 'image/jpeg' },
      }).catch(() => null);
  }

  const JPEG = { type: 'image/jpeg', quality: 0.9 } as const;

  /** Let the view be used for stills of a release. */
  function lend({ stage }: World) {
    open.stills.camera = (v, say, signal) => stage.still(orderOf(v), say, signal, JPEG);
  }

  /** The picture of a viewpoint that is kept with a release. */
  const orderOf = (v: Viewpoint) => ({
    eye: v.eye,
    target: v.target,
    width: 1280,
    height: 720,
    frames: quality.frames,
    lens: lensOf(v),
  });

  function measure(stage: Stage) {
    const d = stage.camera.position.distanceTo(stage.controls.target);
    const perPixel = (2 * d * Math.tan(THREE.MathUtils.degToRad(stage.camera.fov / 2))) / Math.max(1, stage.height);
    const rough = perPixel * 110;
    const power = 10 ** Math.floor(Math.log10(rough));
    const metres = [1, 2, 5, 10].map((m) => m * power).find((m) => m >= rough * 0.62) ?? power * 10;
    scale = { metres, pixels: metres / perPixel };
  }

  function go(v: Viewpoint) {
    const at = (p: readonly number[]) => ({ x: p[0] ?? 0, y: p[1] ?? 0, z: p[2] ?? 0 });
    if (world) world.stage.lens = lensOf(v);
    world?.stage.look(at(v.eye), at(v.target));
    current = v.id;
    world?.stage.move();
  }

  /** See the view through a viewpoint's lens. */
  function look(v: Viewpoint) {
    if (!world) return;
    world.stage.lens = lensOf(v);
    world.stage.refresh();
  }

  function keepView() {
    const stage = world?.stage;
    if (!stage) return;
    const at = (p: THREE.Vector3): [number, number, number] =>
      [p.x, p.y, p.z].map((n) => Math.round(n * 100) / 100) as [number, number, number];
    const name = `View ${viewpoints.length + 1}`;
    const id = crypto.randomUUID().slice(0, 8);
    const made = {
      name,
      eye: at(stage.camera.position),
      target: at(stage.controls.target),
    };
    void open.edit({ op: 'scene', settings: { [`viewpoints#${id}`]: made } });
    current = id;
  }

  export function frameSelection() {
    if (world && selected) world.frame(world.bounds(selected.id));
  }
  export function frameScene() {
    if (world && open.scene?.layers[0]) world.frame(world.bounds(open.scene.layers[0].id));
  }
  export function nextContours() {
    contours = contours === 0 ? 1 : contours === 1 ? 5 : 0;
  }

  /** Make the edits of a tool; a layer that they make is selected. */
  async function apply(edits: Edit[]): Promise<boolean> {
    let scene = null;
    for (const edit of edits) scene = await open.edit(edit);
    if (scene?.created_id) open.selected = scene.created_id;
    return scene !== null;
  }

  function drawingOf(kind: string) {
    const [row, ui] = [drawn(kind), uiOf(kind)];
    const name = `New ${kindOf(kind)?.title.toLowerCase() ?? kind}`;
    const point = ui.point ?? 'point';
    return row && { kind, name, path: row.path, least: row.least ?? 1, point, whole: ui.whole ?? 'this' };
  }

  // the tool that the selected layer, or the one being added, asks for
  $effect(() => {
    const [host, now] = [tools, world];
    if (!host || !now) return;
    const wanted = drawing && drawingOf(drawing);
    const id = shaped;
    untrack(() => {
      const kind = open.layer(id)?.kind ?? '';
      const row = drawn(kind);
      if (wanted) host.take(new DrawTool(now, wanted));
      else if (row)
        host.take(
          new ShapeTool(
            now,
            () => open.layer(id),
            {
              path: row.path,
              closed: Boolean(row.closed),
              least: row.least ?? 1,
              most: row.most ?? Infinity,
              point: uiOf(kind).point ?? 'point',
            },
            () => open.canEdit,
          ),
        );
      else host.take(null);
    });
  });
  const hints = $derived.by(() => {
    void tools?.turn;
    return (
      tools?.tool?.hints() ?? [
        ['drag', 'turn'],
        ['right drag', 'pan'],
        ['wheel', 'zoom'],
        ['click', 'choose'],
        ['F', 'frame'],
      ]
    );
  });
</script>

<section class="relative min-w-0 flex-1 overflow-hidden bg-moss-tint" aria-label="view">
  <div
    bind:this={host}
    class="absolute inset-0"
    style:cursor={tools?.tool?.cursor ?? (pointed ? 'pointer' : undefined)}
    data-frame={frame}
    data-shown={shown}
    data-loaded={loaded}
    data-moving={moving}
    data-developed={developed}
  ></div>
  {#if pointed && open.layer(open.pointed)}
    <span
      class="pointer-events-none absolute z-10 -translate-y-full rounded bg-[#232b20]/85 px-2 py-0.5 text-[12px] whitespace-nowrap text-[#faf7ee]"
      style:left="{pointed.x + 12}px"
      style:top="{pointed.y - 6}px"
      data-pointed={open.pointed}>{open.layer(open.pointed)?.name}</span
    >
  {/if}
  {#if tools}<Overlay
      host={tools}
      label="outline of {drawing ? 'the new layer' : (selected?.name ?? 'nothing')}"
    />{/if}
  {#if ready}<div class="absolute top-3.5 right-64 left-3.5 flex flex-wrap gap-2" role="group" aria-label="viewpoints">
      {#each viewpoints as v (v.id)}
        <span
          class="group flex items-center rounded-full border border-line text-[12.5px] {current === v.id
            ? 'bg-[#232b20] text-[#faf7ee]'
            : 'bg-leaf/95'}"
        >
          <Button
            pill
            color="alternative"
            class="border-0 bg-transparent px-3 text-inherit hover:bg-transparent hover:text-inherit focus-within:text-inherit"
            aria-pressed={current === v.id}
            onclick={() => go(v)}>{v.name}</Button
          >
          {#if open.canEdit}
            <ToolbarButton
              class="mr-1 -ml-2 hidden text-inherit group-focus-within:block group-hover:block hover:text-inherit"
              aria-label="forget {v.name}"
              onclick={() => open.edit({ op: 'scene', settings: { [`viewpoints#${v.id}`]: null } })}
              ><X size={16} /></ToolbarButton
            >
          {/if}
        </span>
      {/each}
      {#if open.canEdit}<Button pill color="alternative" class="bg-leaf/95" onclick={keepView}>+ keep this view</Button
        >{/if}
    </div>
    {#if open.scene}
      <div class="absolute top-3.5 right-3.5 flex flex-wrap items-start justify-end gap-2">
        <Button
          pill
          color="alternative"
          class="size-9 bg-leaf/95 p-0"
          aria-label="make a still"
          title="A still of a viewpoint"
          onclick={() => (still = true)}><Camera size={18} /></Button
        >
        <Button
          pill
          color="alternative"
          class="size-9 bg-leaf/95 p-0"
          title="Clouds, mist, quality"
          aria-label="clouds, mist and quality"
          aria-expanded={weather}
          onclick={() => (weather = !weather)}><CloudSun size={18} /></Button
        >
        <SunDial
          sun={{
            azimuth: open.scene.settings.sun?.azimuth ?? 215,
            elevation: open.scene.settings.sun?.elevation ?? 34,
          }}
          disabled={!open.canEdit}
          oninput={(sun) => open.scene && world?.setSettings({ ...open.scene.settings, sun })}
          onchange={(sun) => open.edit({ op: 'scene', settings: { sun } })}
        />
        <WindVane
          wind={{ azimuth: open.scene.settings.wind?.azimuth ?? 250, speed: open.scene.settings.wind?.speed ?? 4 }}
          disabled={!open.canEdit}
          oninput={(wind) => open.scene && world?.setSettings({ ...open.scene.settings, wind })}
          onchange={(wind) => open.edit({ op: 'scene', settings: { wind } })}
        />
        {#if weather}
          <div class="flex basis-full justify-end">
            <SkyPanel
              sky={open.scene.settings.sky}
              disabled={!open.canEdit}
              oninput={(sky) => open.scene && world?.setSettings({ ...open.scene.settings, sky })}
              onchange={(sky) => open.edit({ op: 'scene', settings: { sky } })}
              onquality={() => world?.stage.goOn()}
              bytes={frame >= 0 ? (world?.stage.bytes ?? 0) : 0}
              viewpoint={viewpoints.find((v) => v.id === current)}
              onlens={look}
              onviewpoint={({ id, ...viewpoint }) =>
                open.edit({ op: 'scene', settings: { [`viewpoints#${id}`]: viewpoint } })}
            />
          </div>
        {/if}
      </div>
    {/if}
    <div
      class="absolute bottom-3.5 left-3.5 flex items-center gap-3 rounded-md bg-[#232b20]/85 px-3 py-1.5 text-[12px] text-[#faf7ee]"
    >
      {#each hints as [keys, what] (keys)}<span><b>{keys}</b> {what}</span>{/each}
      <Button
        color="alternative"
        class="min-h-[24px] rounded-none border-0 border-l border-[#faf7ee]/30 bg-transparent py-0 pr-0 pl-3 text-[12px] text-[#faf7ee] hover:bg-transparent"
        onclick={nextContours}><b>L</b> contours {contours ? `${contours} m` : 'off'}</Button
      >
    </div>
    <div
      class="absolute right-4 bottom-3.5 text-right text-[11.5px] text-[#232b20]"
      style:text-shadow="0 0 4px #faf7ee, 0 0 4px #faf7ee"
      aria-label="scale: {scale.metres} metres"
    >
      <span class="inline-flex items-center gap-1.5">
        {#if developed < 1}
          <svg
            width="14"
            height="14"
            viewBox="0 0 14 14"
            role="img"
            aria-label="picture {Math.round(developed * 100)} % developed"
          >
            <circle cx="7" cy="7" r="5.5" fill="none" stroke="#232b20" stroke-opacity="0.25" stroke-width="1.5" />
            <circle
              cx="7"
              cy="7"
              r="5.5"
              fill="none"
              stroke="#232b20"
              stroke-width="1.5"
              stroke-dasharray="{developed * 34.56} 34.56"
              transform="rotate(-90 7 7)"
            />
          </svg>
        {/if}
        {scale.metres >= 1 ? scale.metres : scale.metres.toFixed(1)} m
      </span>
      <div class="mt-0.5 flex h-[5px] border border-[#232b20] bg-[#faf7ee]" style:width="{scale.pixels}px">
        <span class="w-1/2 bg-[#232b20]"></span>
      </div>
    </div>
  {/if}
  {#if failure}
    <Alert class="absolute inset-x-20 top-20 bg-leaf" role="alert">{failure}</Alert>
  {:else if !shown}
    <div class="absolute inset-0 flex flex-col items-center justify-center gap-3 bg-moss-tint" role="status">
      <Spinner size="8" />
      <p class="font-serif text-[20px]">Growing the scene…</p>
      <p class="text-soft">
        {open.evaluation
          ? 'fetching meshes and placements'
          : 'the first time takes some seconds; after that it is kept'}
      </p>
    </div>
  {/if}
</section>
{#if world && open.scene}
  <StillDialog bind:open={still} stage={world.stage} scene={open.scene.name} {viewpoints} />
{/if}
