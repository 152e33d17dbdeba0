<script lang="ts">
  /** A viewpoint as a picture of its own size. */
  import { Alert, Button, Label, Modal, Progressbar, Select } from 'flowbite-svelte';
  import { onDestroy } from 'svelte';
  import Download from '@lucide/svelte/icons/download';
  import { said, type Viewpoint } from '../api/client';
  import { fileName, hand } from '../state/files';
  import { size } from '../state/values';
  import { lensOf } from '../view/lens';
  import type { Stage } from '../view/stage';

  let {
    open = $bindable(),
    stage,
    scene,
    viewpoints,
  }: { open: boolean; stage: Stage; scene: string; viewpoints: readonly Viewpoint[] } = $props();
  const most = $derived(stage.renderer.gl.capabilities.maxTextureSize);
  const sizes = $derived(([[1280, 720], [1920, 1080], [2560, 1440], [3840, 2160]] as const).filter(([w]) => w <= most)); // prettier-ignore
  let from = $state('');
  let which = $state('1');
  let frames = $state(16);
  let progress = $state<number | null>(null);
  let done = $state('');
  let failure = $state('');
  let running = new AbortController();
  onDestroy(() => running.abort());

  async function make() {
    failure = done = '';
    progress = 0;
    running = new AbortController();
    const [width, height] = sizes[Number(which)] ?? [1280, 720];
    const viewpoint = viewpoints.find((v) => v.id === from);
    const { camera, controls } = stage;
    const eye = viewpoint?.eye ?? camera.position.toArray();
    const target = viewpoint?.target ?? controls.target.toArray();
    try {
      const lens = viewpoint ? lensOf(viewpoint) : stage.lens;
      const order = { eye, target, width, height, frames, lens };
      const picture = await stage.still(order, (share) => (progress = share), running.signal);
      const name = `${fileName(`${scene} ${viewpoint?.name ?? 'view'}`, 'view')}.png`;
      hand(picture, name);
      done = `${name}, ${width} x ${height}, ${size(picture.size)}`;
    } catch (error) {
      if (!running.signal.aborted) failure = said(error);
    }
    progress = null;
  }
</script>

<Modal
  title="A still of {scene}"
  bind:open
  size="sm"
  class="bg-leaf text-ink"
  onclose={() => running.abort()}
  outsideclose={progress === null}
>
  <div class="grid grid-cols-[auto_1fr] items-center gap-x-4 gap-y-3">
    <Label for="still-from">From</Label>
    <Select
      id="still-from"
      bind:value={from}
      placeholder=""
      disabled={progress !== null}
      items={[{ value: '', name: 'where the camera is' }, ...viewpoints.map((v) => ({ value: v.id, name: v.name }))]}
    />
    <Label for="still-size">Size</Label>
    <Select
      id="still-size"
      bind:value={which}
      placeholder=""
      disabled={progress !== null}
      items={sizes.map(([w, h], k) => ({ value: String(k), name: `${w} x ${h}` }))}
    />
    <Label for="still-frames">Exposures</Label>
    <Select
      id="still-frames"
      bind:value={frames}
      placeholder=""
      disabled={progress !== null}
      items={[4, 16, 64, 256].map((n) => ({ value: n, name: String(n) }))}
    />
  </div>
  {#if failure}<Alert role="alert">{failure}</Alert>{/if}
  {#if done}<p class="text-soft" role="status">{done}</p>{/if}
  {#if progress !== null}
    <div role="status" aria-label="{Math.round(progress * 100)} % developed">
      <Progressbar progress={Math.round(progress * 100)} size="h-2" />
      <p class="mt-1 text-[12.5px] text-soft">
        exposure {Math.round(progress * frames)} of {frames}; the view stands still meanwhile
      </p>
    </div>
  {/if}
  {#snippet footer()}
    {#if progress === null}
      <Button onclick={make}><Download size={16} class="mr-2" />Make the still</Button>
    {:else}
      <Button color="alternative" onclick={() => running.abort()}>Cancel</Button>
    {/if}
  {/snippet}
</Modal>
