<script lang="ts">
  /** What a place must be like: conditions in words, each set by rulers, right there. */
  import { Button, Select } from 'flowbite-svelte';
  import X from '@lucide/svelte/icons/x';
  import type { Row } from '../api/client';
  import { app } from '../state/app.svelte';
  import { begun, conditionWords, fadeRow, spanRow, type Condition } from '../state/conditions';
  import { matters } from '../state/matters';
  import Field from './Field.svelte';
  import Picker, { type Choice } from './Picker.svelte';

  let {
    conditions,
    most,
    choices,
    disabled = false,
    oninput,
    onchange,
  }: {
    conditions: Condition[];
    most: number;
    choices: (facet: string) => Choice[]; // what a condition may measure from
    disabled?: boolean;
    oninput?: (id: string, value: Condition | null) => void;
    onchange: (id: string, value: Condition | null) => void;
  } = $props();
  let opened = $state('');
  let adding = $state('');
  const rows = $derived(app.settings.condition ?? []);
  const measure = (c: Condition) => app.measures.find((m) => m.name === c.of);
  const DEFAULTS = $derived(Object.fromEntries(rows.map((r) => [r.path, r.default])));
  const OWN = ['between', 'ids']; // set by rulers of their own

  function rowsOf(c: Condition): Row[] {
    const m = measure(c);
    if (!m) return [];
    const values = { ...DEFAULTS, ...c };
    return rows
      .filter((r) => !OWN.includes(r.path) && matters(r, values))
      .map((r) => (r.path === 'fade' ? fadeRow(m, r) : r));
  }

  function words(c: Condition): string {
    const m = measure(c);
    const found = m?.to ? choices(m.to) : [];
    const names = (c.ids ?? []).map((id) => found.find((x) => x.id === id)?.name ?? `${id} (missing)`);
    return m ? conditionWords(c, m, names) : c.of;
  }

  function add(name: string) {
    const m = app.measures.find((x) => x.name === name);
    adding = '';
    if (!m) return;
    const made = begun(m, () => crypto.randomUUID().slice(0, 8));
    opened = made.id;
    onchange(made.id, made);
  }
</script>

<ul class="flex flex-col gap-1" aria-label="conditions">
  {#each conditions as c (c.id)}
    {@const m = measure(c)}
    {@const change = (path: string, v: unknown) => onchange(c.id, { ...c, [path]: v })}
    {@const input = (path: string, v: unknown) => oninput?.(c.id, { ...c, [path]: v })}
    <li class="rounded border border-line bg-leaf" data-condition={c.of}>
      <div class="flex items-center gap-1 pr-1">
        <button
          class="flex-1 rounded bg-ochre-tint px-2 py-1 text-left text-[12.5px] leading-snug"
          aria-expanded={opened === c.id}
          onclick={() => (opened = opened === c.id ? '' : c.id)}>{words(c)}</button
        >
        {#if !disabled}
          <Button
            color="alternative"
            size="xs"
            class="border-0 p-1.5!"
            aria-label="remove the condition: {words(c)}"
            onclick={() => onchange(c.id, null)}><X size={14} /></Button
          >
        {/if}
      </div>
      {#if opened === c.id && m}
        <div class="px-1.5 pb-1.5">
          {#if m.to}
            <Picker
              choices={choices(m.to)}
              chosen={c.ids ?? []}
              empty="There is none yet."
              {disabled}
              onchange={(ids) => change('ids', ids)}
            />
          {/if}
          <Field
            row={spanRow(m)}
            value={c.between}
            {disabled}
            oninput={(v) => input('between', v)}
            onchange={(v) => change('between', v)}
          />
          {#each rowsOf(c) as r (r.path)}
            <Field
              row={r}
              value={c[r.path]}
              {disabled}
              oninput={(v) => input(r.path, v)}
              onchange={(v) => change(r.path, v)}
            />
          {/each}
        </div>
      {/if}
    </li>
  {/each}
</ul>
{#if !disabled && conditions.length < most}
  <Select
    class="mt-1 w-full"
    classes={{ select: 'py-1 text-[12.5px]' }}
    aria-label="add a condition"
    placeholder=""
    items={[
      { value: '', name: conditions.length ? 'And where…' : 'Only where…' },
      ...app.measures.map((m) => ({ value: m.name, name: m.title })),
    ]}
    bind:value={adding}
    onchange={() => add(adding)}
  />
{/if}
