<script lang="ts">
  /** The control that a parameter asks for. */
  import type { Row } from '../api/client';
  import Curve from './Curve.svelte';
  import Form from './Form.svelte';
  import Points from './Points.svelte';
  import RuledSlider from './RuledSlider.svelte';
  import RuledSpan from './RuledSpan.svelte';
  import Seed from './Seed.svelte';

  let {
    row,
    value,
    disabled = false,
    choices = [],
    reach = 1,
    oninput,
    onchange,
  }: {
    row: Row;
    value: unknown;
    disabled?: boolean;
    choices?: { id: string; name: string }[]; // what a reference may name
    reach?: number; // how far a first guide goes
    oninput?: (v: unknown) => void;
    onchange: (v: unknown) => void;
  } = $props();
  const now = $derived(value ?? row.default);
</script>

{#if ['slider', 'count', 'age', 'fullness'].includes(row.control)}
  <RuledSlider {row} value={now as number} {disabled} {oninput} {onchange} />
{:else if row.control === 'span'}
  <RuledSpan {row} value={now as [number, number]} {disabled} {oninput} {onchange} />
{:else if row.control === 'curve'}
  <Curve {row} value={now as [number, number][]} {disabled} {oninput} {onchange} />
{:else if row.control === 'flag'}
  <label class="flex items-center justify-between gap-2 py-[5px]" title={row.help || undefined} data-field={row.path}>
    <span>{row.title}</span>
    <input
      type="checkbox"
      class="size-4 rounded border-line bg-plate text-moss accent-(--moss)"
      {disabled}
      checked={now as boolean}
      onchange={(e) => onchange((e.target as HTMLInputElement).checked)}
    />
  </label>
{:else if row.control === 'choice'}
  <label
    class="grid grid-cols-[108px_1fr] items-center gap-2.5 py-[4px]"
    title={row.help || undefined}
    data-field={row.path}
  >
    <span class="leading-tight">{row.title}</span>
    <select
      class="field py-[3px]"
      {disabled}
      value={String(now)}
      onchange={(e) => onchange((e.target as HTMLSelectElement).value)}
    >
      {#each Object.entries(row.options ?? {}) as [option, title] (option)}<option value={option}>{title}</option
        >{/each}
    </select>
  </label>
{:else if row.control === 'color'}
  <label class="grid grid-cols-[108px_1fr_76px] items-center gap-2.5 py-[3px]" data-field={row.path}>
    <span class="leading-tight">{row.title}</span>
    <input
      type="color"
      class="h-6 w-full cursor-pointer rounded border border-line bg-plate p-0.5"
      {disabled}
      value={now as string}
      oninput={(e) => oninput?.((e.target as HTMLInputElement).value)}
      onchange={(e) => onchange((e.target as HTMLInputElement).value)}
    />
    <span class="text-right text-[12px] text-soft">{now as string}</span>
  </label>
{:else if row.control === 'seed'}
  <div class="flex items-center justify-between py-[4px]" title={row.help || undefined} data-field={row.path}>
    <span>{row.title}</span>
    <Seed value={now as number} {disabled} {onchange} />
  </div>
{:else if row.control === 'reference'}
  {@const missing = Boolean(now) && !choices.some((c) => c.id === now)}
  <label
    class="grid grid-cols-[108px_1fr] items-center gap-2.5 py-[4px]"
    title={row.help || undefined}
    data-field={row.path}
  >
    <span class="leading-tight">{row.title}</span>
    <select
      class="field py-[3px] {missing ? 'text-clay line-through' : ''}"
      {disabled}
      value={String(now ?? '')}
      onchange={(e) => onchange((e.target as HTMLSelectElement).value)}
    >
      <option value="">its own</option>
      {#if missing}<option value={String(now)}>{String(now)}: missing, choose another</option>{/if}
      {#each choices as c (c.id)}<option value={c.id}>{c.name}</option>{/each}
    </select>
  </label>
{:else if row.control === 'text'}
  <label
    class="grid grid-cols-[108px_1fr] items-center gap-2.5 py-[4px]"
    title={row.help || undefined}
    data-field={row.path}
  >
    <span class="leading-tight">{row.title}</span>
    <input
      class="field min-w-0 py-[3px]"
      maxlength="80"
      {disabled}
      value={String(now ?? '')}
      onchange={(e) => onchange((e.target as HTMLInputElement).value.trim())}
    />
  </label>
{:else if row.control === 'form'}
  <Form {row} value={now as number[][]} {disabled} {onchange} />
{:else if row.control === 'guide' || row.control === 'line'}
  <Points {row} value={now as number[][]} {disabled} {reach} {onchange} />
{/if}
