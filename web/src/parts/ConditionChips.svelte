<script lang="ts">
  /** In a sentence: ", where" and what a place must be like. */
  import Chip from '../controls/Chip.svelte';
  import ConditionForm from '../controls/ConditionForm.svelte';
  import type { Choice } from '../controls/Picker.svelte';
  import { app } from '../state/app.svelte';
  import { wordsOf, type Condition } from '../state/conditions';

  let {
    conditions,
    choices,
    disabled,
    oninput,
    onchange,
  }: {
    conditions: Condition[];
    choices: (facet: string) => Choice[];
    disabled: boolean;
    oninput: (path: string, value: Condition) => void;
    onchange: (path: string, value: Condition) => void;
  } = $props();
  const words = $derived(conditions.map((c) => wordsOf(c, app.measures, choices)));
  const joint = (k: number) => (k ? (k === conditions.length - 1 ? ' and ' : ', ') : ', where ');
</script>

{#each conditions as c, k (c.id)}{joint(k)}<Chip
    text={words[k]?.text ?? c.of}
    tone="ochre"
    label="condition: {c.of}"
    missing={words[k]?.missing}
    ><ConditionForm
      condition={c}
      {choices}
      {disabled}
      oninput={(v) => oninput(`conditions#${c.id}`, v)}
      onchange={(v) => onchange(`conditions#${c.id}`, v)}
    /></Chip
  >{/each}
