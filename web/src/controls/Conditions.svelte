<script lang="ts">
  /** What a place must be like: conditions in words, each set by rulers, right there. */
  import { Button, Select } from 'flowbite-svelte';
  import X from '@lucide/svelte/icons/x';
  import { app } from '../state/app.svelte';
  import { begun, wordsOf, type Condition } from '../state/conditions';
  import ConditionForm from './ConditionForm.svelte';
  import type { Choice } from './Picker.svelte';

  let {
    conditions,
    most,
    choices,
    ground = false,
    disabled = false,
    oninput,
    onchange,
  }: {
    conditions: Condition[];
    most: number;
    choices: (facet: string) => Choice[]; // what a condition may measure from
    ground?: boolean; // only what can be measured before anything is covered or placed
    disabled?: boolean;
    oninput?: (id: string, value: Condition) => void;
    onchange: (id: string, value: Condition | null) => void;
  } = $props();
  let opened = $state('');
  let adding = $state('');
  const offered = $derived(app.measures.filter((m) => !ground || m.ground));

  function add(name: string) {
    const m = app.measures.find((x) => x.name === name);
    adding = '';
    if (!m) return;
    const made = begun(m, () => crypto.randomUUID().slice(0, 8), choices(m.to));
    opened = made.id;
    onchange(made.id, made);
  }
</script>

<ul class="flex flex-col gap-1" aria-label="conditions">
  {#each conditions as c (c.id)}
    {@const { text, missing } = wordsOf(c, app.measures, choices)}
    <li class="rounded border border-line bg-leaf" data-condition={c.of}>
      <div class="flex items-center gap-1 pr-1">
        <button
          class="flex-1 rounded px-2 py-1 text-left text-[12.5px] leading-snug {missing
            ? 'text-clay line-through'
            : 'bg-ochre-tint'}"
          aria-expanded={opened === c.id}
          onclick={() => (opened = opened === c.id ? '' : c.id)}>{text}</button
        >
        {#if !disabled}
          <Button
            color="alternative"
            size="xs"
            class="border-0 p-1.5!"
            aria-label="remove the condition: {text}"
            onclick={() => onchange(c.id, null)}><X size={14} /></Button
          >
        {/if}
      </div>
      {#if opened === c.id}
        <div class="px-1.5 pb-1.5">
          <ConditionForm
            condition={c}
            {choices}
            {disabled}
            oninput={(v) => oninput?.(c.id, v)}
            onchange={(v) => onchange(c.id, v)}
          />
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
      ...offered.map((m) => ({ value: m.name, name: m.title })),
    ]}
    bind:value={adding}
    onchange={() => add(adding)}
  />
{/if}
