<script lang="ts">
  /** A hedge in plain words whose values are edited in place: what grows in it, its bank, its openings. */
  import type { HedgeValues } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import BeginWith from '../parts/BeginWith.svelte';
  import LayerField from '../parts/LayerField.svelte';
  import MixAndWhere from '../parts/MixAndWhere.svelte';
  import MixChip from '../parts/MixChip.svelte';
  import WallOpenings from '../parts/WallOpenings.svelte';
  import { shown } from '../state/values';
  import type { PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();
  const p = $derived(layer.parameters as unknown as HedgeValues);
  const length = $derived(open.view(layer.id)?.curves?.[0]?.length ?? 0);
</script>

{#snippet field(path: string)}<LayerField {layer} {rows} {path} {disabled} {oninput} {onchange} />{/snippet}

<p class="relative font-serif text-[17px] leading-[1.72]" data-sentence>
  A hedge of <MixChip {open} mix={p.mix} label="what grows in it" {disabled} onchange={(v) => onchange('mix', v)} />,
  {Math.round(length)} m long, <Chip text="every {shown(p.spacing, 0.05)} m" label="spacing"
    >{@render field('spacing')}{@render field('jitter')}</Chip
  >
  in <Chip text={p.rows === 1 ? 'one row' : `${p.rows} rows`} label="rows"
    >{@render field('rows')}{#if p.rows > 1}{@render field('between')}{/if}</Chip
  >, <Chip text={p.bank > 0 ? `on a bank ${shown(p.bank, 0.05)} m high` : 'on the level'} label="bank"
    >{@render field('bank')}{#if p.bank > 0}{@render field('crown')}{@render field('slope')}{/if}</Chip
  >. It <Chip text={p.bends === 'round' ? 'bends' : 'turns'} label="at its points"
    >{@render field('bends')}{@render field('closed')}</Chip
  >
  at its points. Where a path crosses <Chip
    text={p.crossed === 'none' ? 'it goes on' : 'it is open'}
    label="where a path crosses"
    >{@render field('crossed')}{#if p.crossed !== 'none'}{@render field('beside')}{/if}</Chip
  >.
</p>
{#if !disabled}
  <BeginWith {open} {layer} {rows} called="the hedge" />
{/if}
<WallOpenings {open} {layer} {disabled} {oninput} {onchange} heads={['open']} />
<MixAndWhere {open} {layer} {disabled} {oninput} {onchange} />
