<script lang="ts">
  /** What is wrong where the view looks: a card at the place, with what can be done. */
  import { Button, CloseButton } from 'flowbite-svelte';
  import type { Finding } from '../api/client';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import type { Stage } from '../view/stage';

  let { open, stage, frame, finding }: { open: SceneStore; stage: Stage; frame: number; finding: Finding } = $props();
  let width = $state(0);
  let height = $state(0);
  const WIDE = 260;
  const spot = $derived.by(() => {
    void frame;
    const [x, y, z] = finding.place ?? [];
    if (x === undefined || y === undefined || z === undefined) return null;
    const at = stage.project({ x, y, z });
    return at && Number.isFinite(at.x + at.y) ? at : null;
  });
  /** Beside the place: to its right, or where the list is in the way to its left. */
  const left = $derived.by(() => {
    const most = width - (open.trouble.shown ? 350 : 0) - WIDE - 14;
    const x = spot?.x ?? width / 2;
    return x + 40 <= most ? x + 40 : clamped(x - 40 - WIDE, 14, most);
  });
  const clamped = (v: number, low: number, high: number) => Math.min(Math.max(v, low), Math.max(low, high));
</script>

<div class="pointer-events-none absolute inset-0 overflow-hidden" bind:clientWidth={width} bind:clientHeight={height}>
  {#if spot}
    <svg class="absolute inset-0 h-full w-full" aria-hidden="true">
      <circle cx={spot.x} cy={spot.y} r="9" fill="none" stroke="#faf7ee" stroke-width="4" />
      <circle cx={spot.x} cy={spot.y} r="9" fill="none" stroke="#b04f2b" stroke-width="2" />
    </svg>
  {/if}
  <div
    class="pointer-events-auto absolute rounded-md border border-clay bg-leaf px-3 py-2 shadow-md"
    style:width="{WIDE}px"
    style:left="{left}px"
    style:top="{clamped((spot?.y ?? 150) - 90, 100, height - 160)}px"
    role="group"
    aria-label="what is wrong here"
  >
    <div class="flex items-start gap-1">
      <p class="flex-1 text-[12.5px] leading-snug">{finding.text}</p>
      <CloseButton class="-mt-1 -mr-2 p-1" size="xs" aria-label="close this" onclick={() => (open.trouble.at = '')} />
    </div>
    {#if open.canEdit}
      <div class="mt-1.5 flex gap-2">
        {#if finding.mend}<Button
            size="xs"
            color="primary"
            disabled={open.trouble.mending}
            onclick={() => open.trouble.mend([finding])}>{finding.mend}</Button
          >{/if}
        <Button size="xs" color="alternative" onclick={() => open.trouble.leave([finding])}>Leave it</Button>
      </div>
    {/if}
  </div>
</div>
