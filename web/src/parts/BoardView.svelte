<script lang="ts">
  import { app } from '../state/app.svelte';
  import { keyring } from '../state/keys';
  import { brush, PLACERS } from '../state/brush.svelte';
  import { mixed } from '../state/mix';
  import { hand, handy, type SetDown, type Touch } from '../state/hand.svelte';
  /** The coloured plate: the scene in three dimensions, and what is drawn over it. */
  import { Alert, Spinner } from 'flowbite-svelte';
  import * as THREE from 'three';
  import { onMount, untrack } from 'svelte';
  import { said, type Evaluation, type Finding, type Layer, type Values, type Viewpoint } from '../api/client';
  import { brushed, drawn, HOLE, holesOf, kindOf, placedOf, touchesOf, uiOf } from '../layers/registry';
  import type { Edit } from '../state/editQueue';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import { lensOf } from '../view/lens';
  import { quality } from '../view/quality';
  import { Stage } from '../view/stage';
  import { Standing } from '../view/standing.svelte';
  import { withThings, type Knot, type Spot } from '../view/tools/tool';
  import { BrushTool } from '../view/tools/brush';
  import { DrawTool, type Wanted } from '../view/tools/draw';
  import { ToolHost } from '../view/tools/host.svelte';
  import { SetDownTool } from '../view/tools/setDown';
  import { TouchTool } from '../view/tools/touch';
  import { ShapeTool } from '../view/tools/shape';
  import { World } from '../view/world';
  import { chosen, type Adjusting, type Change } from '../state/chosen.svelte';
  import { Walker } from '../view/walker.svelte';
  import { ChooseTool } from '../view/tools/choose';
  import ChosenPanel from './ChosenPanel.svelte';
  import FindingCard from './FindingCard.svelte';
  import TroublePanel from './TroublePanel.svelte';
  import AssetTray from './AssetTray.svelte';
  import BoardPanels from './BoardPanels.svelte';
  import ChangeMarks from './ChangeMarks.svelte';
  import Overlay from './Overlay.svelte';
  import ScaleBar from './ScaleBar.svelte';

  let {
    open,
    away,
    drawing = $bindable(null),
    carried,
    onready,
  }: {
    open: SceneStore;
    away: boolean; // another view has the renderer
    drawing?: string | null;
    carried: Values; // what a layer that is drawn has besides its points
    onready: () => void; // something is seen, or long in coming
  } = $props();
  let host: HTMLElement;
  let world = $state.raw<World | null>(null);
  let tools = $state.raw<ToolHost | null>(null);
  let frame = $state(0);
  let loaded = $state(false);
  let current = $state.raw<Evaluation | null>(null); // what the view shows
  let failure = $state('');
  let moving = $state(false);
  let developed = $state(0);
  let contours = $state(0);
  let metre = $state(5); // pixels
  let standing = $state.raw<Standing | null>(null);
  let walker = $state.raw<Walker | null>(null);
  const viewpoints = $derived(open.scene?.settings.viewpoints ?? []);
  const selected = $derived(open.layer(open.selected));
  /** The selected layer, where a brush can be taken to it. */
  const painted = $derived(selected && open.canEdit && !selected.locked && brushed(selected.kind) ? selected.id : '');
  /** The selected layer, where things can be set down on it. */
  const byHand = $derived(selected && open.canEdit && !selected.locked && placedOf(selected.kind) ? selected.id : '');
  /** And where its placements can be touched. */
  const touched = $derived(selected && open.canEdit && !selected.locked && touchesOf(selected.kind) ? selected.id : '');
  /** And where they are being chosen. */
  const choosing = $derived(chosen.on && !hand.on && !brush.inHand ? byHand || touched : '');
  /** What a placement of a layer may be; those that are mirrored are the same once more. */
  const variantsOf = (layer: string) =>
    (open.view(layer)?.placements?.variants ?? [])
      .map(({ asset, seed }) => ({ asset, seed }))
      .filter((v, k, all) => all.findIndex((o) => o.asset === v.asset && o.seed === v.seed) === k);
  let handled = ''; // the layer that the hand was taken for
  $effect(() => {
    const now = byHand || touched;
    if (brush.inHand || (handled && handled !== now)) hand.on = false;
    handled = now;
  });
  $effect(() => {
    void [hand.asset, hand.turn, hand.size, hand.lift, hand.which, hand.square];
    untrack(() => tools?.again());
  });
  let painter = ''; // the layer that the brush was taken for
  $effect(() => {
    if (painter && painter !== painted) brush.inHand = '';
    painter = painted;
  });
  const shaped = $derived(selected && drawn(selected.kind) ? selected.id : '');
  const NOBODY = { id: '', kind: '', parameters: {} } as unknown as Layer; // the layer has just gone
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
    const stands = (standing = new Standing(stage));
    const walks = (walker = new Walker(stage, world));
    const inHand = (tools = new ToolHost(stage, {
      draft: (path, value) => open.draft(open.selected, { [path]: value }),
      adjust: (adjusting) => open.draftAdjust(adjusting),
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
      leave: () => {
        drawing = null;
        brush.inHand = '';
        hand.on = chosen.on = false;
      },
    }));
    stage.onDrawn = (coarse) => {
      frame++;
      moving = coarse;
      shown = world?.shown ?? false;
      developed = stage.developed;
      inHand.drawn();
      stands.drawn();
      metre = stage.metre;
      if (!coarse) rested(stage);
    };
    const first = viewpoints[0];
    if (first) stands.go(first);
    else stage.look({ x: -60, y: 40, z: 80 }, { x: 0, y: 0, z: 0 });
    return () => {
      open.stills.cancel();
      open.stills.camera = open.camera = null;
      walks.end();
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
    open.stills.camera = open.camera = null;
    open.endTrials();
    pointed = null;
    now.stage.leave();
    return () => {
      now.stage.take();
      if (loaded) lend(now);
      if (scene) now.setSettings((open.scene ?? scene).settings);
    };
  });

  /** The layers as they are shown: where one is seen alone, the others but the ground are hidden. */
  function aloneOf(layers: Layer[]): Layer[] {
    if (!open.layer(open.alone)) return layers;
    return layers.map((l) => (l.id === open.alone || kindOf(l.kind)?.place === 'first' ? l : { ...l, hidden: true }));
  }

  // bring the view in step with what the scene came to
  $effect(() => {
    const [now, evaluation, scene] = [world, open.shown, open.scene];
    void open.alone;
    if (!now || !evaluation || !scene || open.trials?.busy) return;
    untrack(() => {
      now
        .show(evaluation, aloneOf(scene.layers))
        .then((done) => {
          if (!done) return;
          loaded = true;
          current = evaluation;
          if (!away) lend(now);
          if (open.reframe) frameScene();
          open.reframe = false;
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
    world?.setContours(contours || (brush.inHand && brush.inHand !== 'paint' ? 1 : 0)); // what a brush does is seen by them
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
    const kept = viewpoints.find((v) => v.id === standing?.at);
    if (kept) untrack(() => standing?.see(kept));
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
  function lend(now: World) {
    const { stage } = now;
    open.camera = async (of, signal) => {
      await now.show(of, aloneOf(open.scene?.layers ?? []));
      signal.throwIfAborted();
      const [eye, target] = [stage.camera.position.toArray(), stage.controls.target.toArray()];
      const order = { eye, target, width: 320, height: 200, frames: 4, lens: stage.lens };
      return stage.still(order, () => {}, signal, JPEG);
    };
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

  export function frameSelection() {
    if (world && selected) world.frame(world.bounds(selected.id));
  }
  /** Walk through the scene, or leave off. */
  export function walk() {
    if (walker?.on) return walker.end();
    drawing = null;
    brush.inHand = '';
    hand.on = chosen.on = false;
    walker?.begin();
  }
  $effect(() => {
    if (walker?.on) return keyring.bind({ leave: () => walker?.end() });
  });
  $effect(() => {
    if (drawing || brush.inHand || hand.on || chosen.on || away) untrack(() => walker?.end());
  });

  /** Look at where something is wrong, from near. */
  export function fly(finding: Finding | undefined) {
    if (!finding) return;
    open.trouble.at = finding.id;
    if (open.layer(finding.layer)) open.selected = finding.layer;
    if (!world || !finding.place) return;
    const [x, y, z] = finding.place;
    world.frame(new THREE.Box3().setFromCenterAndSize(new THREE.Vector3(x, y + 0.6, z), new THREE.Vector3(4, 2, 4)));
  }
  export function frameScene() {
    if (world && open.scene?.layers[0]) world.frame(world.bounds(open.scene.layers[0].id));
  }
  export function nextContours() {
    contours = contours === 0 ? 1 : contours === 1 ? 5 : 0;
  }

  /** Make the edits of a tool; a layer that they make is selected. */
  async function apply(edits: (Edit | Adjusting)[]): Promise<boolean> {
    let taken = false;
    for (const edit of edits) {
      if (edit.op === 'adjust') {
        taken = await open.adjust(edit);
        continue;
      }
      const scene = await open.edit(edit);
      if (scene?.created_id) open.selected = scene.created_id;
      taken = scene !== null;
    }
    return taken;
  }

  /** What is done to the chosen. */
  const adjusting = (change: Change): Adjusting => ({
    op: 'adjust',
    id: choosing,
    things: chosen.things.map((t) => t.id),
    change: chosen.meant(change),
  });
  // the chosen as they stand now, in whatever the view shows
  $effect(() => {
    const [now, layer] = [world, choosing];
    void current;
    if (!now || !layer) return;
    untrack(() => {
      if (chosen.things.length) chosen.things = now.those(layer, new Set(chosen.things.map((t) => t.id)));
    });
  });
  $effect(() => {
    void choosing;
    void chosen.on;
    untrack(() => (chosen.things = []));
  });

  /** What is to be drawn: the points of a new layer of a kind, or a hole in the layer that is selected. */
  function drawingOf(what: string): Wanted | undefined {
    const kind = what === HOLE ? (selected?.kind ?? '') : what;
    const [row, ui] = [drawn(kind), uiOf(kind)];
    if (!row) return undefined;
    const { least, point, whole } = { least: row.least ?? 1, point: ui.point ?? 'point', whole: ui.whole ?? 'this' };
    const holes = holesOf(kind);
    if (what === HOLE) {
      if (!selected || !holes) return undefined;
      const { id, parameters } = selected;
      const there = (parameters[holes.path] ?? []) as unknown[];
      return {
        least,
        point,
        whole: 'a hole',
        edit: (points) => ({ op: 'layer', id, parameters: { [holes.path]: [...there, points] } }),
      };
    }
    const name = `New ${kindOf(kind)?.title.toLowerCase() ?? kind}`;
    const edit = (points: Knot[]): Edit => ({
      op: 'addLayer',
      kind,
      name,
      parameters: { ...carried, [row.path]: points },
    });
    return { least, point, whole, edit };
  }

  // the tool that the selected layer, or the one being added, asks for
  $effect(() => {
    const [host, now] = [tools, world];
    if (!host || !now) return;
    const wanted = drawing && drawingOf(drawing);
    const id = shaped;
    const layer = brush.inHand ? painted : '';
    const choose = choosing;
    const setting = hand.on ? byHand : '';
    const touching = hand.on ? touched : '';
    untrack(() => {
      const kind = open.layer(id)?.kind ?? '';
      const row = drawn(kind);
      const { about } = uiOf(kind);
      const under = uiOf(drawing ?? kind).onThings ? withThings(now, id) : now;
      if (wanted) host.take(new DrawTool(under, wanted));
      else if (layer)
        host.take(
          new BrushTool(
            now,
            layer,
            () => brush.over(open.layer(layer) ?? NOBODY),
            (radius) => (brush.radius = radius),
          ),
        );
      else if (choose)
        host.take(
          new ChooseTool(
            now,
            choose,
            chosen,
            hand,
            () => variantsOf(choose),
            (what) => app.tell(what),
          ),
        );
      else if (setting)
        host.take(
          new SetDownTool(now, setting, hand, {
            path: placedOf(open.layer(setting)?.kind ?? '')?.path ?? '',
            placed: () => (open.layer(setting)?.parameters.placed ?? []) as SetDown[],
            seeds: (asset) => open.asset(asset)?.seeds ?? [],
          }),
        );
      else if (touching)
        host.take(
          new TouchTool(now, touching, hand, {
            path: touchesOf(open.layer(touching)?.kind ?? '')?.path ?? '',
            touches: () => (open.layer(touching)?.parameters.touches ?? []) as Touch[],
            variants: () => variantsOf(touching),
          }),
        );
      else if (row)
        host.take(
          new ShapeTool(
            under,
            () => open.layer(id),
            {
              path: row.path,
              holes: holesOf(kind)?.path,
              closed: (l) => Boolean(row.closed) || l.parameters.closed === true,
              least: row.least ?? 1,
              most: row.most ?? Infinity,
              point: uiOf(kind).point ?? 'point',
              about: about && ((l, points) => about(l, points, (x, z) => now.height(x, z))),
            },
            () => open.canEdit && !open.layer(id)?.locked,
          ),
        );
      else host.take(null);
    });
  });
  const hints = $derived.by(() => {
    void tools?.turn;
    if (walker?.on)
      return [
        ['↑ ↓', 'walk'],
        ['← →', 'turn'],
        ['drag', 'look about'],
        ['Shift', 'run'],
        ['Esc', 'leave'],
        ...(walker.by ? [['in the way:', walker.by]] : []),
      ];
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
    data-computing={open.pending > 0 || open.computing || current !== open.shown}
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
  {#if tools && open.marked}<ChangeMarks {open} host={tools} />{/if}
  {#if painted && selected && PLACERS.some((b) => b.id === brush.inHand)}<AssetTray
      {open}
      choices={mixed(selected)}
      label="on the brush"
      on={brush.on(selected)}
      onflip={(asset) => brush.flip(selected, asset)}
    />{/if}
  {#if byHand && selected && hand.on}<AssetTray
      {open}
      choices={handy(open.scene?.settings, selected)}
      label="in hand"
      on={[hand.asset]}
      onflip={(asset) => (hand.asset = asset)}
    />{/if}
  {#if ready && world && standing}
    <BoardPanels
      {open}
      {world}
      {standing}
      {frame}
      {hints}
      {contours}
      oncontours={nextContours}
      walking={walker?.on ?? false}
      onwalk={walk}
    />
    {#if open.before && open.previous}
      <p
        class="pointer-events-none absolute top-1/2 left-1/2 z-10 -translate-x-1/2 rounded bg-[#232b20]/85 px-3 py-1 text-[13px] text-[#faf7ee]"
        role="status"
      >
        before the last edit · <b>B</b> after it
      </p>
    {/if}
    <ScaleBar {metre} {developed} />
    {#if choosing && world && !open.trouble.shown}
      {@const now = world}
      <ChosenPanel
        {open}
        rule={!byHand}
        variants={variantsOf(choosing)}
        height={(x, z) => now.height(x, z)}
        ontry={(change) => open.draftAdjust(adjusting(change))}
        onchange={(change) => void apply([adjusting(change)])}
        ongroup={(name) => void open.gather(choosing, adjusting({}).things, name)}
        onalike={() => {
          const told = chosen.add(now.alike(choosing, new Set(chosen.things.map((t) => t.asset))));
          if (told) app.tell(told);
        }}
      />
    {/if}
    {#if open.trouble.current}<FindingCard {open} stage={world.stage} {frame} finding={open.trouble.current} />{/if}
    {#if open.trouble.shown}<TroublePanel {open} onfly={fly} />{/if}
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
