<script lang="ts">
  /** Assets by picture, each taken up or laid aside by click or number. */
  import { onDestroy } from 'svelte';
  import { keyring } from '../state/keys';
  import { namedMix } from '../state/mix';
  import type { SceneStore } from '../state/sceneStore.svelte';

  let {
    open,
    choices,
    label,
    on,
    onflip,
  }: {
    open: SceneStore;
    choices: string[]; // assets, or mixes that are kept
    label: string;
    on: string[]; // those that are taken up
    onflip: (asset: string) => void;
  } = $props();
  const kept = (id: string) => namedMix(open.scene?.settings, id);
  const named = (id: string) => open.asset(id)?.name ?? kept(id)?.name ?? `${id} (missing)`;
  /** The asset that is pictured: of a kept mix, its first. */
  const pictured = (id: string) => open.asset(id) ?? open.asset(kept(id)?.entries[0]?.asset ?? '');

  onDestroy(
    keyring.bind({
      which: (event) => {
        const asset = choices[Number(event.key) - 1];
        if (asset) onflip(asset);
      },
    }),
  );
</script>

<div
  class="absolute bottom-14 left-3.5 z-10 flex select-none max-w-[calc(100%-28px)] gap-1.5 overflow-x-auto rounded-md bg-[#232b20]/85 p-1.5"
  role="group"
  aria-label={label}
>
  {#each choices as id, k (id)}
    {@const taken = on.includes(id)}
    {@const asset = pictured(id)}
    <button
      class="relative w-[76px] shrink-0 overflow-hidden rounded border-2 bg-plate text-left {taken
        ? 'border-[#dfe6d0]'
        : 'border-transparent opacity-45 hover:opacity-70'}"
      aria-pressed={taken}
      aria-label={named(id)}
      title="{named(id)}: {taken ? label : 'laid aside'}"
      onclick={() => onflip(id)}
    >
      {#if asset}<img
          src="/api/scenes/{open.id}/assets/{asset.id}/picture?v={asset.version}"
          alt=""
          draggable="false"
          class="portrait aspect-[10/9] w-full"
        />{:else}<span class="block aspect-[10/9] w-full"></span>{/if}
      <span class="block truncate px-1 py-0.5 font-serif text-[11px] leading-tight text-ink">{named(id)}</span>
      {#if k < 9}<span class="absolute top-0.5 left-0.5 rounded bg-[#232b20]/80 px-1 text-[10.5px] text-[#faf7ee]"
          >{k + 1}</span
        >{/if}
    </button>
  {/each}
</div>
