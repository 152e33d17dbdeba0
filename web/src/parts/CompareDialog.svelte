<script lang="ts">
  /** Two releases from the same viewpoint, one over the other, parted where one likes. */
  import { Label, Modal, Range, Select } from 'flowbite-svelte';
  import { untrack } from 'svelte';
  import type { Release } from '../api/client';

  let {
    open = $bindable(),
    releases,
    release,
    viewpoint,
  }: { open: boolean; releases: readonly Release[]; release: number; viewpoint: string } = $props();

  const pictured = $derived(releases.filter((r) => r.stills.length));
  const [now, view] = untrack(() => [release, viewpoint]);
  let left = $state(untrack(() => String(pictured.find((r) => r.number < now)?.number ?? now)));
  let right = $state(String(now));
  let from = $state(view);
  let part = $state(50);

  const of = (number: string) => pictured.find((r) => String(r.number) === number);
  const still = (number: string) => of(number)?.stills.find((s) => s.viewpoint === from);
  const viewpoints = $derived([
    ...new Map([...(of(right)?.stills ?? []), ...(of(left)?.stills ?? [])].map((s) => [s.viewpoint, s.name])),
  ]);
  const items = $derived(pictured.map((r) => ({ value: String(r.number), name: `Release ${r.number}` })));
  const [before, after] = $derived([still(left), still(right)]);
</script>

<Modal title="Compare releases" bind:open size="lg" class="bg-leaf text-ink" outsideclose>
  <div class="flex flex-wrap items-end gap-4">
    <div>
      <Label for="compare-left">Left</Label><Select id="compare-left" placeholder="" bind:value={left} {items} />
    </div>
    <div>
      <Label for="compare-right">Right</Label><Select id="compare-right" placeholder="" bind:value={right} {items} />
    </div>
    <div class="flex-1">
      <Label for="compare-from">From</Label><Select
        id="compare-from"
        placeholder=""
        bind:value={from}
        items={viewpoints.map(([value, name]) => ({ value, name }))}
      />
    </div>
  </div>
  <div class="relative aspect-video w-full overflow-hidden rounded-md bg-moss-tint">
    {#if after}<img class="absolute inset-0 size-full object-cover" src={after.picture} alt="release {right}" />{/if}
    {#if before}<img
        class="absolute inset-0 size-full object-cover"
        style:clip-path="inset(0 {100 - part}% 0 0)"
        src={before.picture}
        alt="release {left}"
      />{/if}
    {#if before && after}<span class="absolute inset-y-0 w-px bg-leaf" style:left="{part}%"></span>{/if}
    {#each [[left, before, 'left-2'], [right, after, 'right-2']] as const as [number, there, side] (side)}
      <span class="absolute bottom-2 rounded bg-[#232b20]/85 px-2 py-0.5 text-[12px] text-[#faf7ee] {side}"
        >{there ? `release ${number}` : `release ${number} has no still of it`}</span
      >
    {/each}
  </div>
  <Range aria-label="where the two part" min="0" max="100" bind:value={part} />
  {#if pictured.length < 2}<p class="text-soft">
      There is nothing to compare with yet: the next release has stills of its own.
    </p>{/if}
</Modal>
