<script lang="ts">
  /** What the ground is covered with: classes in their order, each with its look and where it lies. */
  import { offerTrials } from '../state/trials.svelte';
  import { Button } from 'flowbite-svelte';
  import ArrowDown from '@lucide/svelte/icons/arrow-down';
  import ArrowUp from '@lucide/svelte/icons/arrow-up';
  import Plus from '@lucide/svelte/icons/plus';
  import type { LayerView, Values } from '../api/client';
  import Conditions from '../controls/Conditions.svelte';
  import Field from '../controls/Field.svelte';
  import type { Choice } from '../controls/Picker.svelte';
  import { app } from '../state/app.svelte';
  import { added, moved, swatchOf, withCondition, withValue, without, type GroundClass } from '../state/classes';

  let {
    classes,
    surface,
    most,
    choices,
    disabled,
    oninput,
    onchange,
  }: {
    classes: GroundClass[];
    surface: LayerView['surface'];
    most: number;
    choices: (facet: string) => Choice[];
    disabled: boolean;
    oninput: (classes: GroundClass[]) => void;
    onchange: (classes: GroundClass[]) => void;
  } = $props();
  offerTrials(() => undefined); // what a class is like is not tried
  let opened = $state('');
  const rows = $derived(app.settings.class ?? []);
  const first = $derived(classes[0]?.key);

  function summary(c: GroundClass): string {
    if (c.key === first) return 'everywhere else';
    if (c.lies === 'by-brush') return 'where it is painted';
    const n = c.conditions?.length ?? 0;
    return n ? `${n} ${n === 1 ? 'condition' : 'conditions'}` : 'everywhere';
  }
</script>

<section class="rule mt-3 pt-2" aria-label="ground classes">
  <div class="mb-1 flex items-baseline justify-between">
    <h2 class="text-[14px]">Ground classes</h2>
    <span class="text-[12px] text-soft">each lies over those above</span>
  </div>
  <ul class="flex flex-col gap-1">
    {#each classes as c, k (c.key)}
      <li class="rounded border border-line" data-class={c.key}>
        <div class="flex items-center gap-2 pr-1">
          <button
            class="flex min-w-0 flex-1 items-center gap-2 px-1.5 py-1 text-left"
            aria-expanded={opened === c.key}
            onclick={() => (opened = opened === c.key ? '' : c.key)}
          >
            <span class="size-6 shrink-0 rounded border border-line bg-cover" style={swatchOf(c, surface)}></span>
            <span class="flex-1 truncate font-serif">{c.name}</span>
            <span class="text-[11.5px] text-soft">{summary(c)}</span>
          </button>
        </div>
        {#if opened === c.key}
          <div class="px-1.5 pb-2">
            {#each rows.filter((r) => k > 0 || r.path !== 'lies') as r (r.path)}
              <Field
                row={r}
                value={(c as unknown as Values)[r.path]}
                {disabled}
                oninput={(v) => oninput(withValue(classes, c.key, r.path, v))}
                onchange={(v) => onchange(withValue(classes, c.key, r.path, v))}
              />
            {/each}
            {#if k > 0 && c.lies !== 'by-brush'}
              <Conditions
                conditions={c.conditions ?? []}
                most={8}
                ground
                {choices}
                {disabled}
                oninput={(id, v) => oninput(withCondition(classes, c.key, id, v))}
                onchange={(id, v) => onchange(withCondition(classes, c.key, id, v))}
              />
            {/if}
            {#if !disabled}
              <div class="mt-1.5 flex gap-1.5">
                <Button
                  color="alternative"
                  size="xs"
                  aria-label="{c.name}: lies under one more"
                  disabled={k === 0}
                  onclick={() => onchange(moved(classes, k, -1))}><ArrowUp size={13} /></Button
                >
                <Button
                  color="alternative"
                  size="xs"
                  aria-label="{c.name}: lies over one more"
                  disabled={k === classes.length - 1}
                  onclick={() => onchange(moved(classes, k, 1))}><ArrowDown size={13} /></Button
                >
                <Button
                  color="red"
                  outline
                  size="xs"
                  class="ml-auto"
                  disabled={classes.length === 1}
                  onclick={() => onchange(without(classes, c.key))}>Remove</Button
                >
              </div>
            {/if}
          </div>
        {/if}
      </li>
    {/each}
  </ul>
  {#if !disabled && classes.length < most}
    <Button
      color="alternative"
      size="xs"
      class="mt-1.5"
      onclick={() => {
        const made = added(classes);
        opened = made.at(-1)?.key ?? '';
        onchange(made);
      }}><Plus size={13} /> Another class</Button
    >
  {/if}
</section>
