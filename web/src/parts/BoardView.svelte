<script lang="ts">
  /** The coloured plate: the scene in three dimensions, and what is drawn over it. */
  import * as THREE from 'three';
  import { onMount, untrack } from 'svelte';
  import { said, type Viewpoint } from '../api/client';
  import { keyring } from '../state/keys';
  import { drawn, kindOf, uiOf } from '../layers/registry';
  import { app } from '../state/app.svelte';
  import type { OpenScene } from '../state/scene.svelte';
  import { Stage } from '../view/stage';
  import { World } from '../view/world';
  import Outline from './Outline.svelte';
  import SunDial from './SunDial.svelte';
  import WindVane from './WindVane.svelte';
  import X from '@lucide/svelte/icons/x';

  type P = [number, number];
  let { open, drawing = $bindable(null) }: { open: OpenScene; drawing?: string | null } = $props();
  let host: HTMLElement;
  let world = $state.raw<World | null>(null);
  let frame = $state(0);
  let loaded = $state(false);
  let failure = $state('');
  let moving = $state(false);
  let contours = $state(0);
  let points = $state<P[]>([]);
  let hover = $state<P | null>(null);
  let scale = $state({ metres: 20, pixels: 100 });
  let current = $state('');
  const viewpoints = $derived(open.scene?.settings.viewpoints ?? []);
  const selected = $derived(open.layer(open.selected));
  const outlined = $derived(selected && drawn(selected.kind) ? selected : undefined);
  let lastEye = new THREE.Vector3(1e9, 0, 0);
  let pictured = false;

  onMount(() => {
    let stage: Stage;
    try {
      stage = new Stage(host);
    } catch (error) {
      failure = `the picture cannot be drawn: ${said(error)}. Plough needs a browser with WebGL 2.`;
      return;
    }
    world = new World(stage);
    stage.onDrawn = (coarse) => {
      frame++;
      moving = coarse;
      measure(stage);
      if (!coarse) rested(stage);
    };
    const first = viewpoints[0];
    if (first) go(first);
    else stage.look({ x: -60, y: 40, z: 80 }, { x: 0, y: 0, z: 0 });
    (window as unknown as { plough: unknown }).plough = { stage, world }; // for the browser tests, which ask what is drawn
    return () => {
      world?.dispose();
      stage.dispose();
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
    if (world && open.scene) world.setSettings(open.scene.settings, app.dusk);
  });
  $effect(() => {
    world?.setContours(contours);
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
    world?.stage.look(at(v.eye), at(v.target));
    current = v.id;
    world?.stage.move();
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

  function click(event: MouseEvent) {
    if (!drawing || event.button !== 0) return;
    if (Math.hypot(event.clientX - pressed[0], event.clientY - pressed[1]) > 4) return;
    const p = world?.groundAt(event);
    if (!p) return;
    const next: P = [Math.round(p.x * 100) / 100, Math.round(p.z * 100) / 100];
    const last = points.at(-1);
    if (!last || Math.hypot(last[0] - next[0], last[1] - next[1]) > 0.5) points = [...points, next];
  }
  let pressed: P = [0, 0];

  async function finish() {
    const kind = drawing;
    if (!kind) return;
    const row = drawn(kind);
    const ui = uiOf(kind);
    if (!row) return;
    if (points.length < (row.least ?? 1)) {
      app.tell(`${ui.whole ?? 'this'} takes ${row.least} ${ui.point ?? 'point'}s or more`);
      return;
    }
    const scene = await open.edit({
      op: 'addLayer',
      kind,
      name: `New ${kindOf(kind)?.title.toLowerCase() ?? kind}`,
      parameters: { [row.path]: points },
    });
    if (!scene) return;
    leave();
    if (scene.created_id) open.selected = scene.created_id;
  }

  function leave() {
    drawing = null;
    points = [];
  }
  $effect(() => {
    if (!drawing) return;
    const back = () => (points = points.slice(0, -1));
    return keyring.bind({ finish: () => void finish(), back, undo: back, leave }, true);
  });
</script>

<section class="relative min-w-0 flex-1 overflow-hidden bg-moss-tint" aria-label="view">
  <!-- svelte-ignore a11y_no_static_element_interactions -->
  <div
    bind:this={host}
    class="absolute inset-0 {drawing ? 'cursor-crosshair' : ''}"
    data-frame={frame}
    data-loaded={loaded}
    data-moving={moving}
    onpointerdowncapture={(e) => (pressed = [e.clientX, e.clientY])}
    onpointerup={click}
    ondblclick={() => void finish()}
    onpointermove={(e) => {
      if (!drawing) return;
      const p = world?.groundAt(e);
      hover = p ? [p.x, p.z] : null;
    }}
  ></div>
  {#if world && (outlined || drawing)}
    <Outline
      {world}
      layer={drawing ? undefined : outlined}
      {frame}
      drawing={drawing ? (hover ? [...points, hover] : points) : null}
      disabled={!open.canEdit}
      oninput={(name, p) => outlined && open.draft(outlined.id, { [name]: p })}
      onchange={(name, p) => outlined && open.edit({ op: 'layer', id: outlined.id, parameters: { [name]: p } })}
    />
  {/if}
  <div class="absolute top-3.5 left-3.5 flex flex-wrap gap-2" role="group" aria-label="viewpoints">
    {#each viewpoints as v (v.id)}
      <span
        class="group flex items-center rounded-full border border-line text-[12.5px] {current === v.id
          ? 'bg-[#232b20] text-[#faf7ee]'
          : 'bg-leaf/95'}"
      >
        <button class="py-1 pr-3 pl-3" onclick={() => go(v)}>{v.name}</button>
        {#if open.canEdit}
          <button
            class="-ml-2 hidden pr-2 group-focus-within:block group-hover:block"
            aria-label="forget {v.name}"
            onclick={() => open.edit({ op: 'scene', settings: { [`viewpoints#${v.id}`]: null } })}
            ><X size={13} /></button
          >
        {/if}
      </span>
    {/each}
    {#if open.canEdit}<button
        class="rounded-full border border-line bg-leaf/95 px-3 py-1 text-[12.5px] hover:border-moss"
        onclick={keepView}>+ keep this view</button
      >{/if}
  </div>
  {#if open.scene}
    <div class="absolute top-3.5 right-3.5 flex gap-2">
      <SunDial
        sun={{ azimuth: open.scene.settings.sun?.azimuth ?? 215, elevation: open.scene.settings.sun?.elevation ?? 34 }}
        disabled={!open.canEdit}
        oninput={(sun) => open.scene && world?.setSettings({ ...open.scene.settings, sun }, app.dusk)}
        onchange={(sun) => open.edit({ op: 'scene', settings: { sun } })}
      />
      <WindVane
        wind={{ azimuth: open.scene.settings.wind?.azimuth ?? 250, speed: open.scene.settings.wind?.speed ?? 4 }}
        disabled={!open.canEdit}
        oninput={(wind) => open.scene && world?.setSettings({ ...open.scene.settings, wind }, app.dusk)}
        onchange={(wind) => open.edit({ op: 'scene', settings: { wind } })}
      />
    </div>
  {/if}
  <div
    class="absolute bottom-3.5 left-3.5 flex items-center gap-3 rounded-md bg-[#232b20]/85 px-3 py-1.5 text-[12px] text-[#faf7ee]"
  >
    {#if drawing}
      <span><b>click</b> set a {uiOf(drawing).point ?? 'point'}</span><span><b>Backspace</b> take one back</span><span
        ><b>Enter</b> finish</span
      ><span><b>Esc</b> leave</span>
    {:else if outlined}
      <span><b>drag</b> a {uiOf(outlined.kind).point ?? 'point'}</span><span><b>Delete</b> remove it</span><span
        ><b>F</b> frame</span
      >
    {:else}
      <span><b>drag</b> turn</span><span><b>right drag</b> pan</span><span><b>wheel</b> zoom</span><span
        ><b>F</b> frame</span
      >
    {/if}
    <button class="border-l border-white/25 pl-3" onclick={nextContours}
      ><b>L</b> contours {contours ? `${contours} m` : 'off'}</button
    >
  </div>
  <div
    class="absolute right-4 bottom-3.5 text-right text-[11.5px] text-[#232b20]"
    style:text-shadow="0 0 4px #faf7ee, 0 0 4px #faf7ee"
    aria-label="scale: {scale.metres} metres"
  >
    {scale.metres >= 1 ? scale.metres : scale.metres.toFixed(1)} m
    <div class="mt-0.5 flex h-[5px] border border-[#232b20] bg-[#faf7ee]" style:width="{scale.pixels}px">
      <span class="w-1/2 bg-[#232b20]"></span>
    </div>
  </div>
  {#if failure}
    <p class="absolute inset-x-20 top-20 rounded border border-clay bg-leaf px-4 py-2 text-clay" role="alert">
      {failure}
    </p>
  {:else if !loaded}
    <div class="absolute inset-0 flex flex-col items-center justify-center gap-3 bg-moss-tint" role="status">
      <p class="font-serif text-[20px]">Growing the scene…</p>
      <p class="text-soft">
        {open.evaluation
          ? 'fetching meshes and placements'
          : 'the first time takes some seconds; after that it is kept'}
      </p>
    </div>
  {/if}
</section>
