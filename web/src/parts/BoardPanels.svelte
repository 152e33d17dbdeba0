<script lang="ts">
  /** What lies over the board's view: viewpoints, sun, wind and weather, and hints for the hand. */
  import { Button, ToolbarButton } from 'flowbite-svelte';
  import { onDestroy } from 'svelte';
  import type { Settings, Viewpoint } from '../api/client';
  import Name from '../controls/Name.svelte';
  import { keyring } from '../state/keys';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import type { Standing } from '../view/standing.svelte';
  import type { World } from '../view/world';
  import SkyPanel from './SkyPanel.svelte';
  import StillDialog from './StillDialog.svelte';
  import SunDial from './SunDial.svelte';
  import ToolRow from './ToolRow.svelte';
  import WindVane from './WindVane.svelte';
  import Camera from '@lucide/svelte/icons/camera';
  import CloudSun from '@lucide/svelte/icons/cloud-sun';
  import Footprints from '@lucide/svelte/icons/footprints';
  import X from '@lucide/svelte/icons/x';

  let {
    open,
    world,
    standing,
    frame,
    hints,
    contours,
    oncontours,
    walking,
    onwalk,
  }: {
    open: SceneStore;
    world: World;
    standing: Standing;
    frame: number; // told anew with each picture
    hints: readonly (readonly string[])[];
    contours: number; // metres between them; 0 for none
    oncontours: () => void;
    walking: boolean;
    onwalk: () => void;
  } = $props();
  let weather = $state(false);
  let still = $state(false);
  let naming = $state(''); // the viewpoint whose name is being written
  const settings = $derived(open.scene?.settings);
  const viewpoints = $derived(settings?.viewpoints ?? []);
  const layer = $derived(open.layer(open.selected));

  const change = (changes: Record<string, unknown>) => open.edit({ op: 'scene', settings: changes });
  /** Show settings before they are kept. */
  const show = (changes: Partial<Settings>) => settings && world.setSettings({ ...settings, ...changes });

  function named({ id, ...viewpoint }: Viewpoint, name: string) {
    void change({ [`viewpoints#${id}`]: { ...viewpoint, name } });
  }

  /** Go to the viewpoint that is some after the one at which the camera stands. */
  function step(by: number) {
    const n = viewpoints.length;
    const at = viewpoints.findIndex((v) => v.id === standing.at);
    const next = viewpoints[at < 0 ? (by > 0 ? 0 : n - 1) : (at + by + n) % n];
    if (next) standing.go(next);
  }
  onDestroy(keyring.bind({ nextView: () => step(1), lastView: () => step(-1) }));

  function keepView() {
    const { camera, controls } = world.stage;
    const at = (p: { toArray(): number[] }) => p.toArray().map((n) => Math.round(n * 100) / 100);
    const name = `View ${viewpoints.length + 1}`;
    const id = crypto.randomUUID().slice(0, 8);
    void change({ [`viewpoints#${id}`]: { name, eye: at(camera.position), target: at(controls.target) } });
    standing.here(id);
  }
</script>

<div class="absolute top-3.5 right-64 left-3.5 flex flex-col items-start gap-2">
  <div class="flex flex-wrap gap-2" role="group" aria-label="viewpoints">
    {#each viewpoints as v (v.id)}
      <span
        class="group flex items-center rounded-full border border-line text-[12.5px] {standing.at === v.id
          ? 'bg-[#232b20] text-[#faf7ee]'
          : 'bg-leaf/95'}"
      >
        {#if naming === v.id}
          <span class="px-3" {@attach (span) => span.querySelector('input')?.select()}>
            <Name
              class="w-32 py-1.5 font-sans text-[12.5px] font-medium text-inherit"
              label="name of the viewpoint"
              value={v.name}
              onchange={(name) => named(v, name.slice(0, 60))}
              onleave={() => (naming = '')}
            />
          </span>
        {:else}
          <Button
            pill
            color="alternative"
            class="border-0 bg-transparent px-3 text-inherit hover:bg-transparent hover:text-inherit focus-within:text-inherit"
            aria-pressed={standing.at === v.id}
            title={open.canEdit ? 'Double click to name it' : undefined}
            ondblclick={() => open.canEdit && (naming = v.id)}
            onclick={() => standing.go(v)}>{v.name}</Button
          >
        {/if}
        {#if open.canEdit}
          <ToolbarButton
            class="mr-1 -ml-2 hidden text-inherit group-focus-within:block group-hover:block hover:text-inherit"
            aria-label="forget {v.name}"
            onclick={() => change({ [`viewpoints#${v.id}`]: null })}><X size={16} /></ToolbarButton
          >
        {/if}
      </span>
    {/each}
    <Button
      pill
      color={walking ? 'primary' : 'alternative'}
      class={walking ? '' : 'bg-leaf/95'}
      aria-pressed={walking}
      title="Walk at eye level (V)"
      onclick={onwalk}><Footprints size={15} /> walk</Button
    >
    {#if open.canEdit}<Button pill color="alternative" class="bg-leaf/95" onclick={keepView}>+ keep this view</Button
      >{/if}
  </div>
  {#if layer && open.canEdit && !layer.locked}<ToolRow {open} {layer} />{/if}
</div>
{#if settings}
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
      sun={{ azimuth: settings.sun?.azimuth ?? 215, elevation: settings.sun?.elevation ?? 34 }}
      disabled={!open.canEdit}
      oninput={(sun) => show({ sun })}
      onchange={(sun) => change({ sun })}
    />
    <WindVane
      wind={{ azimuth: settings.wind?.azimuth ?? 250, speed: settings.wind?.speed ?? 4 }}
      disabled={!open.canEdit}
      oninput={(wind) => show({ wind })}
      onchange={(wind) => change({ wind })}
    />
    {#if weather}
      <div class="flex basis-full justify-end">
        <SkyPanel
          sky={settings.sky}
          disabled={!open.canEdit}
          oninput={(sky) => show({ sky })}
          onchange={(sky) => change({ sky })}
          onquality={() => world.stage.goOn()}
          bytes={frame >= 0 ? world.stage.bytes : 0}
          viewpoint={viewpoints.find((v) => v.id === standing.at)}
          onlens={(v) => standing.see(v)}
          onviewpoint={({ id, ...viewpoint }) => change({ [`viewpoints#${id}`]: viewpoint })}
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
    onclick={oncontours}><b>L</b> contours {contours ? `${contours} m` : 'off'}</Button
  >
</div>
{#if open.scene}
  <StillDialog bind:open={still} stage={world.stage} scene={open.scene.name} {viewpoints} />
{/if}
