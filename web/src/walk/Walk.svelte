<script lang="ts">
  /** A stand-in for the game: one walks in a release, of which nothing but its files is loaded, and sees what it costs. */
  import { Alert, Button, Progressbar, Select, ThemeProvider, Checkbox } from 'flowbite-svelte';
  import { onMount } from 'svelte';
  import { api, take, type Profile } from '../api/client';
  import { big, size } from '../state/values';
  import { theme } from '../theme';
  import { Walker } from '../view/walker.svelte';
  import { Files, type Manifest } from './files';
  import { Place, type Cost, type Held } from './place';

  const asked = new URLSearchParams(location.search);
  const scene = asked.get('scene') ?? '';
  const release = Number(asked.get('release') ?? 0);
  let host: HTMLElement;
  let place = $state.raw<Place | null>(null);
  let walker = $state.raw<Walker | null>(null);
  let manifest = $state.raw<Manifest | null>(null);
  let cost = $state.raw<Cost | null>(null);
  let held = $state.raw<Held | null>(null);
  let profiles = $state.raw<Profile[]>([]);
  let profile = $state('console');
  let share = $state(0);
  let ready = $state(false);
  let failed = $state('');
  let shot = $state('');
  let from = $state('0');
  let [windy, night, bodies] = $state([false, false, false]);
  const over = (n: number, most?: number) => most !== undefined && n > most;
  const limits = $derived(profiles.find((p) => p.name === profile));
  const differs = $derived.by(() => {
    if (!place || !held || !ready) return [];
    const out = place.differs(held);
    if (cost && !bodies && Math.abs(cost.triangles - cost.told) > 0.01 * cost.told)
      out.push(`triangles: ${big(cost.triangles)} drawn, ${big(cost.told)} by their levels`);
    return out;
  });
  const rows = $derived<[string, string, string, boolean][]>(
    cost
      ? [
          row('triangles', cost.triangles, limits?.triangles),
          row('draw calls', cost.calls, limits?.draw_calls),
          row('instances', cost.instances, limits?.instances),
          [`${cost.textures} textures`, size(cost.textureBytes), '', false],
          [
            'geometry',
            size(cost.geometryBytes),
            limits ? size(limits.bytes) : '',
            over(cost.geometryBytes, limits?.bytes),
          ],
          ['a frame', `${cost.milliseconds.toFixed(0)} ms`, '', false],
        ]
      : [],
  );

  function row(what: string, n: number, most?: number): [string, string, string, boolean] {
    return [what, big(n), most === undefined ? '' : big(most), over(n, most)];
  }

  /** The profiles, and the one that the release was made for where it is the scene's own. */
  function withTarget(all: Profile[], { profile: target }: Manifest): Profile[] {
    return target && !all.some((p) => p.name === target.name) ? [...all, target] : all;
  }

  onMount(() => {
    void open();
    return () => place?.dispose();
  });

  async function open() {
    try {
      const files = new Files(scene, release);
      const found = await files.manifest();
      manifest = found;
      profile = found.profile?.name ?? profile;
      if (!found.files.some((f) => f.path === 'scene.glb') && !found.tiles)
        throw new Error('This release has no scene to walk in.');
      if (found.tiles && found.tiles.levels > 1)
        throw new Error(
          'This release is a tileset for renderers of 3D Tiles, which have no colliders to walk by. Bake it as one file or as a file a tile.',
        );
      take<Profile[]>(api.GET('/api/profiles')).then(
        (all) => (profiles = withTarget(all, found)),
        () => null,
      );
      const made = new Place(host, files, found);
      made.onDrawn = (c) => (cost = c);
      made.onHeld = (h) => (held = h);
      goTo(made, found, 0);
      place = made;
      await made.open(
        (s) => (share = s),
        (error: unknown) => (failed = error instanceof Error ? error.message : String(error)),
      );
      const own = new Walker(made, made);
      own.begin();
      walker = own;
      ready = true;
      (window as unknown as { walk: unknown }).walk = { place: made, walker: own };
    } catch (error) {
      failed = error instanceof Error ? error.message : String(error);
    }
  }

  /** Look from a viewpoint; without any, north from the middle. */
  function goTo(to: Place, { viewpoints = [] }: Manifest, k: number) {
    const [x, y, z] = viewpoints[k]?.eye ?? [0, 1.7, 0];
    const [u, v, w] = viewpoints[k]?.target ?? [0, 1.7, -1.5];
    to.look({ x, y, z }, { x: u, y: v, z: w });
  }

  function jump() {
    if (!place || !manifest) return;
    walker?.end();
    goTo(place, manifest, Number(from));
    walker?.begin();
  }

  function shoot() {
    if (place) shot = place.shoot();
  }
</script>

<svelte:window onkeydown={(e) => e.key === ' ' && !(e.target as Element).closest('button, input, select') && shoot()} />
<svelte:head
  ><title>{manifest ? `Release ${release} of ${manifest.scene}` : 'Walk in a release'} · Plough</title></svelte:head
>

<ThemeProvider {theme}>
  <div class="flex h-full flex-col">
    <header class="flex h-11 shrink-0 items-center gap-3 border-b border-line bg-paper px-4">
      <a href="/" class="font-serif text-[20px] font-semibold">Plough</a>
      <h1 class="font-serif text-[15px] font-semibold">
        {manifest ? `${manifest.scene}, release ${release}` : 'A release'}
      </h1>
      <span class="text-[12.5px] text-soft">a stand-in for the game: nothing but its files</span>
      <span class="flex-1"></span>
      <a class="text-[12.5px] underline" href="/#/scene/{scene}">to the board</a>
    </header>
    <div class="relative flex min-h-0 flex-1">
      <main class="relative min-w-0 flex-1 bg-moss-tint" aria-label="the release">
        <!-- svelte-ignore a11y_no_static_element_interactions -->
        <div
          bind:this={host}
          class="absolute inset-0"
          data-ready={ready}
          data-at={place && cost ? `${place.camera.position.x.toFixed(2)} ${place.camera.position.z.toFixed(2)}` : ''}
          ondblclick={shoot}
        ></div>
        {#if ready}
          <span
            class="pointer-events-none absolute top-1/2 left-1/2 size-1.5 -translate-1/2 rounded-full bg-[#faf7ee] ring-2 ring-[#232b20]/60"
          ></span>
          <p
            class="pointer-events-none absolute bottom-3.5 left-3.5 rounded bg-[#232b20]/85 px-3 py-1.5 text-[13px] text-[#faf7ee]"
          >
            <b>arrows</b> walk and turn &nbsp; <b>Page Up, Page Down</b> aside &nbsp; <b>Shift</b> run &nbsp;
            <b>drag</b>
            look &nbsp;
            <b>Space</b> shoot
          </p>
          {#if walker?.by || shot}
            <p
              class="pointer-events-none absolute bottom-14 left-3.5 rounded bg-[#232b20]/85 px-3 py-1 text-[13px] text-[#faf7ee]"
              role="status"
            >
              {[walker?.by ? `in the way: ${walker.by}` : '', shot ? `shot ${shot}` : ''].filter(Boolean).join(' · ')}
            </p>
          {/if}
        {:else if failed}
          <div class="absolute inset-0 grid place-items-center p-10">
            <Alert class="bg-leaf p-4" role="alert">{failed}</Alert>
          </div>
        {:else}
          <div class="absolute inset-0 grid place-items-center">
            <div class="w-72" role="status">
              <p class="mb-1">Loading the files of the release…</p>
              <Progressbar progress={Math.round(share * 100)} />
            </div>
          </div>
        {/if}
      </main>
      <aside class="w-[290px] shrink-0 overflow-y-auto border-l border-line bg-leaf p-4" aria-label="what it costs">
        <h2 class="font-serif text-[17px] font-semibold">What it costs here</h2>
        <p class="mb-2 text-[12.5px] text-soft">as the renderer counts it</p>
        <Select
          class="mb-2 w-full"
          aria-label="profile"
          placeholder=""
          bind:value={profile}
          items={profiles.map((p) => ({ value: p.name, name: p.title }))}
        />
        <table class="w-full text-[13px] tabular-nums" data-cost={cost ? cost.triangles : ''}>
          <tbody>
            {#each rows as [what, n, most, much] (what)}
              <tr
                ><td class="py-0.5">{what}</td><td class="text-right {much ? 'font-semibold text-clay' : ''}">{n}</td
                ><td class="w-20 text-right text-soft">{most ? `of ${most}` : ''}</td></tr
              >
            {/each}
          </tbody>
        </table>
        {#if held}
          <h2 class="rule mt-3 pt-2 font-serif text-[15px] font-semibold">Loaded</h2>
          <table class="w-full text-[13px] tabular-nums">
            <tbody>
              {#if manifest?.tiles}<tr
                  ><td class="py-0.5">tiles</td><td class="text-right" data-tiles={held.files}
                    >{held.files} of {held.known}</td
                  ></tr
                >{/if}
              <tr
                ><td class="py-0.5">instances</td><td class="text-right" data-instances={held.instances}
                  >{held.instances.toLocaleString('en')}</td
                ></tr
              >
              <tr
                ><td class="py-0.5">colliders</td><td class="text-right" data-colliders={held.colliders}
                  >{held.colliders.toLocaleString('en')}</td
                ></tr
              >
              {#if held.lamps}<tr><td class="py-0.5">lamps</td><td class="text-right">{held.lamps}</td></tr>{/if}
            </tbody>
          </table>
        {/if}
        <h2 class="rule mt-3 pt-2 font-serif text-[15px] font-semibold">Against the manifest</h2>
        {#if !ready}<p class="text-soft">…</p>
        {:else if differs.length}
          <ul class="text-[13px] text-clay" data-differs={differs.length}>
            {#each differs as d (d)}<li>{d}</li>{/each}
          </ul>
        {:else}<p class="text-[13px]" data-differs="0">
            Nothing differs: what is loaded and drawn is what it says.
          </p>{/if}
        <div class="rule mt-3 flex flex-col gap-2 pt-3">
          {#if manifest?.viewpoints?.length}<Select
              class="w-full"
              aria-label="viewpoint"
              placeholder=""
              bind:value={from}
              onchange={jump}
              items={manifest.viewpoints.map((v, k) => ({ value: String(k), name: v.name }))}
            />{/if}
          <Checkbox bind:checked={windy} onchange={() => place?.blow(windy)}>Wind</Checkbox>
          {#if held?.lamps}<Checkbox bind:checked={night} onchange={() => place?.night(night)}
              >By night, lamps lit</Checkbox
            >{/if}
          <Checkbox bind:checked={bodies} onchange={() => place?.showBodies(bodies)}>Show colliders</Checkbox>
        </div>
        <Button color="alternative" class="mt-3 w-full" disabled={!ready} onclick={shoot}>Shoot where you look</Button>
        {#if failed && ready}<Alert class="mt-3" role="alert">{failed}</Alert>{/if}
      </aside>
    </div>
  </div>
</ThemeProvider>
