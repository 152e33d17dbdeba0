<script lang="ts">
  /** Clouds, mist, how far a picture develops, and what a viewpoint is seen through. */
  import { Select } from 'flowbite-svelte';
  import type { Row, Settings, Values, Viewpoint } from '../api/client';
  import RuledSlider from '../controls/RuledSlider.svelte';
  import { app } from '../state/app.svelte';
  import { size } from '../state/values';
  import { quality, STEPS, type Step } from '../view/quality';

  type Sky = NonNullable<Settings['sky']>;
  let {
    sky,
    disabled = false,
    oninput,
    onchange,
    onquality,
    bytes,
    viewpoint,
    onlens,
    onviewpoint,
  }: {
    sky: Sky;
    disabled?: boolean;
    oninput: (s: Sky) => void;
    onchange: (s: Sky) => void;
    onquality: () => void;
    /** Of the graphics card's memory. */
    bytes: number;
    /** The viewpoint that the view was last set to. */
    viewpoint: Viewpoint | undefined;
    onlens: (v: Viewpoint) => void;
    onviewpoint: (v: Viewpoint) => void;
  } = $props();
  let step = $state<Step>(quality.step);

  const rows = (of: string) => app.settings[of] ?? [];
  const held = (values: object, row: Row) => Number((values as Values)[row.path] ?? row.default);
  const names: Record<Step, string> = { coarse: 'Coarse', fine: 'Fine', finest: 'Finest' };
</script>

<div class="w-[300px] rounded-md border border-line bg-leaf/95 px-3 pt-2 pb-3 shadow-sm" role="group" aria-label="sky">
  {#each rows('sky') as r (r.path)}
    <RuledSlider
      row={r}
      value={held(sky, r)}
      {disabled}
      oninput={(v) => oninput({ ...sky, [r.path]: v })}
      onchange={(v) => onchange({ ...sky, [r.path]: v })}
    />
  {/each}
  {#if viewpoint}
    <p class="mt-2 border-t border-line pt-2 font-serif text-[14px]">{viewpoint.name}</p>
    {#each rows('viewpoint') as r (r.path)}
      <RuledSlider
        row={r}
        value={held(viewpoint, r)}
        {disabled}
        oninput={(v) => onlens({ ...viewpoint, [r.path]: v })}
        onchange={(v) => onviewpoint({ ...viewpoint, [r.path]: v })}
      />
    {/each}
  {/if}
  <label class="mt-2 flex items-center justify-between gap-3 text-[12.5px]">
    Picture at rest
    <Select
      size="sm"
      class="w-44!"
      bind:value={step}
      items={(Object.keys(STEPS) as Step[]).map((s) => ({ value: s, name: `${names[s]}, ${STEPS[s]} exposures` }))}
      onchange={() => {
        quality.set(step);
        onquality();
      }}
    />
  </label>
  <p class="mt-2 flex justify-between text-[12.5px]">
    <span>Graphics memory</span><span class="tabular-nums" data-bytes={bytes}>about {size(bytes)}</span>
  </p>
</div>
