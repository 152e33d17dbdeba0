<script lang="ts">
  /** The control that a parameter asks for. */
  import { Checkbox, Input, Select } from 'flowbite-svelte';
  import type { Row } from '../api/client';
  import type { Outline } from '../state/plans';
  import Curve from './Curve.svelte';
  import Form from './Form.svelte';
  import OwnFile from './OwnFile.svelte';
  import Parts from './Parts.svelte';
  import Pieces from './Pieces.svelte';
  import Plan from './Plan.svelte';
  import Points from './Points.svelte';
  import RuledSlider from './RuledSlider.svelte';
  import RuledSpan from './RuledSpan.svelte';
  import Seed from './Seed.svelte';
  import Wings from './Wings.svelte';

  let {
    row,
    value,
    disabled = false,
    choices = [],
    reach = 1,
    edges = [],
    pieces = [],
    bench,
    outlines = [],
    oninput,
    onchange,
  }: {
    row: Row;
    value: unknown;
    disabled?: boolean;
    choices?: { id: string; name: string }[]; // what a reference may name
    reach?: number; // how far a first guide goes
    edges?: string[]; // of a building's plan
    pieces?: string[]; // of a kit
    bench?: { fresh: () => Promise<string | undefined>; open: (asset: string) => void };
    outlines?: Outline[]; // that a plan can be taken from
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
  <div class="flex items-center justify-between gap-2 py-[5px]" title={row.help || undefined} data-field={row.path}>
    <span aria-hidden="true">{row.title}</span>
    <Checkbox
      aria-label={row.title}
      {disabled}
      checked={now as boolean}
      onchange={(e) => onchange(e.currentTarget.checked)}
    />
  </div>
{:else if row.control === 'choice'}
  <label
    class="grid grid-cols-[108px_1fr] items-center gap-2.5 py-[4px]"
    title={row.help || undefined}
    data-field={row.path}
  >
    <span class="leading-tight">{row.title}</span>
    <Select
      class="w-full"
      placeholder=""
      {disabled}
      items={Object.entries(row.options ?? {}).map(([value, name]) => ({ value, name }))}
      value={String(now)}
      onchange={(e) => onchange(e.currentTarget.value)}
    />
  </label>
{:else if row.control === 'color'}
  <label class="grid grid-cols-[108px_1fr_76px] items-center gap-2.5 py-[3px]" data-field={row.path}>
    <span class="leading-tight">{row.title}</span>
    <Input
      type="color"
      class="h-6 cursor-pointer rounded p-0.5"
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
    <Select
      class="w-full"
      classes={{ select: missing ? 'text-clay line-through' : '' }}
      placeholder=""
      {disabled}
      items={[
        { value: '', name: 'its own' },
        ...(missing ? [{ value: String(now), name: `${String(now)}: missing, choose another` }] : []),
        ...choices.map((c) => ({ value: c.id, name: c.name })),
      ]}
      value={String(now ?? '')}
      onchange={(e) => onchange(e.currentTarget.value)}
    />
  </label>
{:else if row.control === 'parts' || row.control === 'shares'}
  <Parts {row} heaped={row.control === 'shares'} value={now as []} {disabled} {choices} {oninput} {onchange} />
{:else if row.control === 'pieces'}
  <Pieces {row} value={now as []} {disabled} {choices} kit={pieces} {bench} {oninput} {onchange} />
{:else if row.control === 'text'}
  <label
    class="grid grid-cols-[108px_1fr] items-center gap-2.5 py-[4px]"
    title={row.help || undefined}
    data-field={row.path}
  >
    <span class="leading-tight">{row.title}</span>
    <Input
      class="min-w-0"
      maxlength={80}
      {disabled}
      value={String(now ?? '')}
      onchange={(e) => onchange((e.target as HTMLInputElement).value.trim())}
    />
  </label>
{:else if row.control === 'file' || row.control === 'image'}
  <OwnFile {row} value={String(now ?? '')} {disabled} {onchange} />
{:else if row.control === 'form'}
  <Form {row} value={now as number[][]} {disabled} {onchange} />
{:else if row.control === 'wings'}
  <Wings {row} value={now as []} {disabled} {edges} {oninput} {onchange} />
{:else if row.control === 'plan'}
  <Plan {row} value={now as []} {disabled} {outlines} {oninput} {onchange} />
{:else if ['guide', 'line', 'points'].includes(row.control)}
  <Points {row} value={now as number[][]} {disabled} {reach} {onchange} />
{/if}
