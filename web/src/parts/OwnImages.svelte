<script lang="ts">
  /** Images of one's own in place of the maps that Plough draws. */
  import { Alert, ToolbarButton } from 'flowbite-svelte';
  import LibraryBig from '@lucide/svelte/icons/library-big';
  import X from '@lucide/svelte/icons/x';
  import { createQuery } from '@tanstack/svelte-query';
  import { bytes, said } from '../api/client';
  import { libraryQuery } from '../state/queries';
  import LibraryDialog from './LibraryDialog.svelte';

  let {
    scene,
    slots,
    images,
    disabled,
    onchange,
  }: {
    scene: string;
    slots: string[];
    images: Record<string, string>;
    disabled: boolean;
    onchange: (images: Record<string, string>) => void;
  } = $props();
  const maps: [string, string][] = [
    ['albedo', 'Albedo'],
    ['normal', 'Normal'],
    ['surface', 'Occlusion, roughness, metallic'],
  ];
  let failure = $state('');
  const library = createQuery(libraryQuery);
  let librarySlot = $state('');

  async function choose(event: Event, key: string) {
    const input = event.target as HTMLInputElement;
    const file = input.files?.[0];
    input.value = '';
    if (!file) return;
    failure = '';
    try {
      const answer = await bytes('/api/bench/images', { method: 'POST', body: file });
      const { hash } = JSON.parse(new TextDecoder().decode(answer)) as { hash: string };
      onchange({ ...images, [key]: hash });
    } catch (error) {
      failure = `${file.name}: ${said(error)}`;
    }
  }
</script>

{#if slots.length}
  <section class="rule mt-2.5 pt-2">
    <div class="mb-1 flex items-baseline justify-between">
      <h2 class="text-[14px]">Your own images</h2>
      <span class="text-[12px] text-soft">PNG or JPEG, in place of a map</span>
    </div>
    {#each slots as slot (slot)}
      <div class="mb-1.5 grid grid-cols-[52px_1fr_1fr_1fr] items-start gap-1.5">
        <span class="pt-1 text-[12.5px]">
          {slot}
          {#if library.data?.there && !disabled}
            <ToolbarButton
              class="mt-0.5 block text-moss"
              aria-label="images for {slot} from the asset library"
              title="From the asset library"
              onclick={() => (librarySlot = slot)}><LibraryBig size={16} /></ToolbarButton
            >
          {/if}
        </span>
        {#each maps as [map, title] (map)}
          {@const key = `${slot}.${map}`}
          {@const own = images[key]}
          <div class="relative">
            <label
              class="flex h-[58px] cursor-pointer items-center justify-center overflow-hidden rounded border border-edge bg-plate px-1 text-center focus-within:outline-2 focus-within:outline-moss text-[11px] leading-tight text-soft {disabled
                ? 'pointer-events-none opacity-60'
                : 'hover:border-moss'}"
            >
              {#if own}<img
                  src="/api/bench/images/{own}"
                  alt={title}
                  class="h-full w-full object-cover"
                />{:else}{title}{/if}
              <input
                type="file"
                accept="image/png,image/jpeg"
                class="sr-only"
                aria-label="image for {title} of {slot}"
                {disabled}
                onchange={(e) => choose(e, key)}
              />
            </label>
            {#if own && !disabled}<ToolbarButton
                class="absolute top-0.5 right-0.5 rounded-full bg-leaf text-clay"
                aria-label="back to the drawn {title} of {slot}"
                onclick={() => onchange(Object.fromEntries(Object.entries(images).filter(([k]) => k !== key)))}
                ><X size={16} /></ToolbarButton
              >{/if}
          </div>
        {/each}
      </div>
    {/each}
    {#if failure}<Alert role="alert">{failure}</Alert>{/if}
  </section>
{/if}
<LibraryDialog
  bind:open={() => Boolean(librarySlot), (open) => open || (librarySlot = '')}
  {scene}
  kinds={['leaf', 'texture']}
  ontaken={({ images: own }) =>
    onchange({ ...images, ...Object.fromEntries(Object.entries(own).map(([map, h]) => [`${librarySlot}.${map}`, h])) })}
/>
