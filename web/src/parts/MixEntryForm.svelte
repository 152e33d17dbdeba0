<script lang="ts">
  /** What one asset of a mix has of its own: rulers, and what it likes. */
  import Conditions from '../controls/Conditions.svelte';
  import Field from '../controls/Field.svelte';
  import type { Choice } from '../controls/Picker.svelte';
  import { app } from '../state/app.svelte';
  import { withLiking, withOwn, type MixEntry } from '../state/mix';
  import { offerTrials, trialsOffered } from '../state/trials.svelte';

  let {
    entry,
    mix,
    choices,
    disabled,
    oninput,
    onchange,
  }: {
    entry: MixEntry;
    mix: MixEntry[];
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
<Conditions
  conditions={entry.conditions ?? []}
  most={8}
  {choices}
  {disabled}
  oninput={(id, v) => oninput(withLiking(mix, entry.asset, id, v))}
  onchange={(id, v) => onchange(withLiking(mix, entry.asset, id, v))}
/>
