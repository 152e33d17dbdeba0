<script lang="ts">
  /** A scatter's rule in plain words, whose values are edited in place. */
  import type { ScatterValues } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import ConditionChips from '../parts/ConditionChips.svelte';
  import LayersChip from '../parts/LayersChip.svelte';
  import LayerField from '../parts/LayerField.svelte';
  import MixAndWhere from '../parts/MixAndWhere.svelte';
  import MixChip from '../parts/MixChip.svelte';
  import PlaceBrush from '../parts/PlaceBrush.svelte';
  import StandsWords from '../parts/StandsWords.svelte';
  import { paintedWords } from '../state/brush.svelte';
  import { direction } from '../state/conditions';
  import { PATTERNS, ROOM } from '../state/scatter';
  import WriteMask from '../parts/WriteMask.svelte';
  import { shown } from '../state/values';
  import { choicesOf, type PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();

  const p = $derived(layer.parameters as unknown as ScatterValues);
  const mix = $derived(p.mix);
  const conditions = $derived(p.conditions ?? []);
  const choices = (facet: string) => choicesOf(open, facet, layer.id);
  const painted = $derived(paintedWords(p));
  const metres = (v: number) => `${shown(v, 0.05)} m`;
  const inRows = $derived(p.pattern === 'rows' || p.pattern === 'staggered');
</script>

{#snippet field(path: string)}<LayerField {layer} {rows} {path} {disabled} {oninput} {onchange} />{/snippet}

<p class="relative font-serif text-[17px] leading-[1.72]" data-sentence>
  Scatter <MixChip {open} {mix} label="what is scattered" {disabled} onchange={(v) => onchange('mix', v)} />
  over <LayersChip
    {open}
    ids={p.areas}
    facet="region"
    none="the whole ground"
    label="where"
    empty="There is no area yet; add one to the strip."
    {disabled}
    onchange={(ids) => onchange('areas', ids)}
  />{#if painted}, {painted}{/if}, <Chip text={PATTERNS[p.pattern] ?? p.pattern} label="pattern"
    >{@render field('pattern')}</Chip
  >{#if inRows}
    <Chip text="{shown(p.rows, 0.05)} m apart" label="between rows">{@render field('rows')}</Chip>, running <Chip
      text={direction(p.azimuth)}
      label="which way rows run">{@render field('azimuth')}</Chip
    >{#if p.jitter}, out of line by up to <Chip text="{p.jitter} %" label="out of line">{@render field('jitter')}</Chip
      >{/if}, one every <Chip text="{shown(p.spacing, 0.05)} m" label="spacing">{@render field('spacing')}</Chip
    >,{:else}{#if p.pattern === 'contours'}, one every
      <Chip text="{shown(p.contours, 0.05)} m" label="between contour lines">{@render field('contours')}</Chip> of height{/if},
    at least
    <Chip text="{shown(p.spacing, 0.05)} m apart" label="spacing">{@render field('spacing')}</Chip>,{/if}
  {#if p.crowns}crowns over each other by
    <Chip text="up to {p.overlap} %" label="how far crowns overlap">{@render field('overlap')}</Chip>,{/if}
  {#if p.how_many === 'count'}<Chip text="{p.in_all.toLocaleString('en')} in all" label="how many in all"
      >{@render field('in_all')}</Chip
    >{:else if p.how_many === 'per-hectare'}<Chip
      text="{p.per_hectare.toLocaleString('en')} a hectare"
      label="how many a hectare">{@render field('per_hectare')}</Chip
    >{:else}filled to <Chip text="{p.fill} %" label="fill">{@render field('fill')}</Chip
    >{/if}{#if p.apart || p.apart_from !== 'stems'}, <Chip
      text="{metres(p.apart)} from {ROOM[p.apart_from]}"
      label="how far from earlier layers">{@render field('apart')}{@render field('apart_from')}</Chip
    > of earlier layers{/if}<ConditionChips {conditions} {choices} {disabled} {oninput} {onchange} />.
  <StandsWords {layer} {rows} {disabled} {oninput} {onchange} />
</p>
{#if !disabled}
  <PlaceBrush {open} {layer} title="Painted over by brush">{@render field('only_painted')}</PlaceBrush>
{/if}
<MixAndWhere {open} {layer} {disabled} {oninput} {onchange}>
  {#snippet beside()}<WriteMask scene={open.id} layer={layer.id} name={layer.name} />{/snippet}
</MixAndWhere>
