<script lang="ts">
  /** Clouds, mist, and how far a picture develops. */
  import { Select } from 'flowbite-svelte';
  import type { Row, Settings } from '../api/client';
  import RuledSlider from '../controls/RuledSlider.svelte';
  import { quality, STEPS, type Step } from '../view/quality';

  type Sky = NonNullable<Settings['sky']>;
  let {
    sky,
    disabled = false,
    oninput,
    onchange,
    onquality,
  }: {
    sky: Sky;
    disabled?: boolean;
    oninput: (s: Sky) => void;
    onchange: (s: Sky) => void;
    onquality: () => void;
  } = $props();
  let step = $state<Step>(quality.step);

  const row = (path: keyof Sky, title: string, standard: number) =>
    ({ path, title, group: '', section: '', control: 'ruler', unit: '', low: 0, high: 1, soft: null, step: 0.01, default: standard, help: '', when: [], acts: [], least: null, most: null }) as unknown as Row; // prettier-ignore
  const rows = [row('cover', 'Clouds', 0.3), row('mist', 'Mist', 0.1)];
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
