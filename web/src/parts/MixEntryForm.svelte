<script lang="ts">
  /** What one asset of a mix has of its own: rulers, and what it likes. */
  import { Checkbox } from 'flowbite-svelte';
  import Conditions from '../controls/Conditions.svelte';
  import Field from '../controls/Field.svelte';
  import type { Choice } from '../controls/Picker.svelte';
  import { app } from '../state/app.svelte';
  import { seedsWith, withLiking, withOwn, type MixEntry } from '../state/mix';
  import { offerTrials, trialsOffered } from '../state/trials.svelte';

  let {
    entry,
    mix,
    seeds,
    choices,
    disabled,
    oninput,
    onchange,
  }: {
    entry: MixEntry;
    mix: MixEntry[];
    seeds: number[]; // of the asset
    choices: (facet: string) => Choice[];
    disabled: boolean;
    oninput: (mix: MixEntry[]) => void;
    onchange: (mix: MixEntry[]) => void;
  } = $props();
  const outer = trialsOffered();
  // what it likes lies deeper than trials reach
  offerTrials((path) => (path.includes('#') ? undefined : outer?.(`mix#${entry.asset}.${path}`)));
</script>

{#each app.settings.mix ?? [] as r (r.path)}
  <Field
    row={r}
    value={entry[r.path]}
    {disabled}
    oninput={(v) => oninput(withOwn(mix, entry.asset, r.path, v))}
    onchange={(v) => onchange(withOwn(mix, entry.asset, r.path, v))}
  />
{/each}
{#if seeds.length > 1}
  <fieldset class="my-1.5 flex flex-wrap items-center gap-x-3 gap-y-1">
    <legend class="sr-only">Which of its seeds stand</legend>
    <span class="text-[12.5px]">Seeds</span>
    {#each seeds as seed (seed)}
      <Checkbox
        checked={!entry.seeds?.length || entry.seeds.includes(seed)}
        {disabled}
        onchange={(e) => {
          const box = e.currentTarget as HTMLInputElement;
          const next = seedsWith(entry, seeds, seed, box.checked);
          box.checked = !next.length || next.includes(seed);
          onchange(withOwn(mix, entry.asset, 'seeds', next));
        }}>{seed}</Checkbox
      >
    {/each}
  </fieldset>
{/if}
<Conditions
  conditions={entry.conditions ?? []}
  most={8}
  {choices}
  {disabled}
  oninput={(id, v) => oninput(withLiking(mix, entry.asset, id, v))}
  onchange={(id, v) => onchange(withLiking(mix, entry.asset, id, v))}
/>
