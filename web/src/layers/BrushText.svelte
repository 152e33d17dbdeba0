<script lang="ts">
  /** What is painted, in plain words, whose values are edited in place; and the brush. */
  import type { SpreadValues } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import ConditionChips from '../parts/ConditionChips.svelte';
  import LayerField from '../parts/LayerField.svelte';
  import MixAndWhere from '../parts/MixAndWhere.svelte';
  import MixChip from '../parts/MixChip.svelte';
  import PlaceBrush from '../parts/PlaceBrush.svelte';
  import StandsWords from '../parts/StandsWords.svelte';
  import { ROOM } from '../state/scatter';
  import { shown } from '../state/values';
  import { choicesOf, type PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();

  const p = $derived(layer.parameters as unknown as SpreadValues);
  const conditions = $derived(p.conditions ?? []);
  const choices = (facet: string) => choicesOf(open, facet, layer.id);
</script>

{#snippet field(path: string)}<LayerField {layer} {rows} {path} {disabled} {oninput} {onchange} />{/snippet}

<p class="relative font-serif text-[17px] leading-[1.72]" data-sentence>
  Paint <MixChip {open} mix={p.mix} label="what is painted" {disabled} onchange={(v) => onchange('mix', v)} />, at least
  <Chip text="{shown(p.spacing, 0.05)} m apart" label="spacing">{@render field('spacing')}</Chip>{#if p.crowns}, crowns
    over each other by
    <Chip text="up to {p.overlap} %" label="how far crowns overlap">{@render field('overlap')}</Chip
    >{/if}{#if p.apart || p.apart_from !== 'stems'}, <Chip
      text="{shown(p.apart, 0.05)} m from {ROOM[p.apart_from]}"
      label="how far from earlier layers">{@render field('apart')}{@render field('apart_from')}</Chip
    > of earlier layers{/if}<ConditionChips {conditions} {choices} {disabled} {oninput} {onchange} />.
  <StandsWords {layer} {rows} {disabled} {oninput} {onchange} />
</p>
{#if !disabled}<PlaceBrush {open} {layer} title="By brush" />{/if}
<MixAndWhere {open} {layer} {disabled} {oninput} {onchange} />
