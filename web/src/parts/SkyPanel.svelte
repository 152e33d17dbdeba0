<script lang="ts">
  /** Clouds, mist, how far a picture develops, and what a viewpoint is seen through. */
  import { Select } from 'flowbite-svelte';
  import type { Row, Settings, Viewpoint } from '../api/client';
  import RuledSlider from '../controls/RuledSlider.svelte';
  import { quality, STEPS, type Step } from '../view/quality';

  type Sky = NonNullable<Settings['sky']>;
  let {
    sky,
    disabled = false,
    oninput,
    onchange,
    onquality,
    viewpoint,
    onlens,
    onviewpoint,
  }: {
    sky: Sky;
    disabled?: boolean;
    oninput: (s: Sky) => void;
    onchange: (s: Sky) => void;
    onquality: () => void;
    /** The viewpoint that the view was last set to. */
    viewpoint: Viewpoint | undefined;
    onlens: (v: Viewpoint) => void;
    onviewpoint: (v: Viewpoint) => void;
  } = $props();
  let step = $state<Step>(quality.step);

  const row = (path: string, title: string, scale: Partial<Row>) =>
    ({ path, title, group: '', section: '', control: 'ruler', unit: '', low: 0, high: 1, soft: null, step: 0.01, help: '', when: [], acts: [], least: null, most: null, ...scale }) as unknown as Row; // prettier-ignore
  const rows = [row('cover', 'Clouds', { default: 0.3 }), row('mist', 'Mist', { default: 0.1 })];
  const lens = [
    row('exposure', 'Exposure', { low: -6, high: 6, soft: [-3, 3], step: 0.1, default: 0, unit: 'stops' }),
    row('lens', 'Lens', { high: 200, soft: [0, 60], step: 1, default: 0, unit: 'mm' }),
    row('focus', 'Sharp at', { high: 5000, soft: [0, 60], step: 0.1, default: 0, unit: 'm' }),
  ];
  const held = (v: Viewpoint, path: string) => Number((v as unknown as Record<string, unknown>)[path] ?? 0);
  const names: Record<Step, string> = { coarse: 'Coarse', fine: 'Fine', finest: 'Finest' };
</script>

<div class="w-[300px] rounded-md border border-line bg-leaf/95 px-3 pt-2 pb-3 shadow-sm" role="group" aria-label="sky">
  {#each rows as r (r.path)}
    <RuledSlider
      row={r}
      value={sky[r.path as keyof Sky]}
      {disabled}
      oninput={(v) => oninput({ ...sky, [r.path]: v })}
      onchange={(v) => onchange({ ...sky, [r.path]: v })}
    />
  {/each}
  {#if viewpoint}
    <p class="mt-2 border-t border-line pt-2 font-serif text-[14px]">{viewpoint.name}</p>
    {#each lens as r (r.path)}
      <RuledSlider
        row={r}
        value={held(viewpoint, r.path)}
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
</div>
