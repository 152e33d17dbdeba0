<script lang="ts">
  /** The rulers of one condition. */
  import type { Row } from '../api/client';
  import { app } from '../state/app.svelte';
  import { fadeRow, spanRow, type Condition } from '../state/conditions';
  import { offerTrials, trialsOffered } from '../state/trials.svelte';
  import { matters } from '../state/matters';
  import Field from './Field.svelte';
  import Picker, { type Choice } from './Picker.svelte';

  let {
    condition: c,
    choices,
    disabled = false,
    oninput,
    onchange,
  }: {
    condition: Condition;
    choices: (facet: string) => Choice[]; // what a condition may measure from
    disabled?: boolean;
    oninput?: (value: Condition) => void;
    onchange: (value: Condition) => void;
  } = $props();
  const outer = trialsOffered();
  offerTrials((path) => outer?.(`conditions#${c.id}.${path}`));
  const m = $derived(app.measures.find((x) => x.name === c.of));
  const all = $derived(app.settings.condition ?? []);
  const OWN = ['between', 'ids']; // set by rulers of their own
  const rows = $derived.by((): Row[] => {
    if (!m) return [];
    const values = { ...Object.fromEntries(all.map((r) => [r.path, r.default])), ...c };
    return all
      .filter((r) => !OWN.includes(r.path) && matters(r, values))
      .map((r) => (r.path === 'fade' ? fadeRow(m, r) : r));
  });
</script>

{#if m}
  {#if m.to}
    <Picker
      choices={choices(m.to)}
      chosen={c.ids ?? []}
      empty="There is none yet."
      {disabled}
      onchange={(ids) => onchange({ ...c, ids: m.to === 'viewpoint' ? ids.slice(-1) : ids })}
    />
  {/if}
  <Field
    row={spanRow(m)}
    value={c.between}
    {disabled}
    oninput={(v) => oninput?.({ ...c, between: v as [number, number] })}
    onchange={(v) => onchange({ ...c, between: v as [number, number] })}
  />
  {#each rows as r (r.path)}
    <Field
      row={r}
      value={c[r.path]}
      {disabled}
      oninput={(v) => oninput?.({ ...c, [r.path]: v })}
      onchange={(v) => onchange({ ...c, [r.path]: v })}
    />
  {/each}
{/if}
