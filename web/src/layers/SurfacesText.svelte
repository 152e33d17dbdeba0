<script lang="ts">
  /** What stands on the faces of things, in plain words whose values are edited in place. */
  import type { SurfacesValues } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import ConditionChips from '../parts/ConditionChips.svelte';
  import LayersChip from '../parts/LayersChip.svelte';
  import LayerField from '../parts/LayerField.svelte';
  import MixAndWhere from '../parts/MixAndWhere.svelte';
  import MixChip from '../parts/MixChip.svelte';
  import PlaceBrush from '../parts/PlaceBrush.svelte';
  import { paintedWords } from '../state/brush.svelte';
  import { facesWords } from '../state/surfaces';
  import { mirroredWords, pair, shown } from '../state/values';
  import { choicesOf, type PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();
  const p = $derived(layer.parameters as unknown as SurfacesValues);
  const painted = $derived(paintedWords(p));
  const choices = (facet: string) => choicesOf(open, facet, layer.id);
  const lean = $derived(
    (p.lean === 0 ? 'upright' : p.lean === 100 ? 'square to the face' : `leaning ${p.lean} % with the face`) +
      (p.tilt ? `, tilted by up to ${shown(p.tilt, 0.5)}°` : ''),
  );
</script>

{#snippet field(path: string)}<LayerField {layer} {rows} {path} {disabled} {oninput} {onchange} />{/snippet}

<p class="relative font-serif text-[17px] leading-[1.72]" data-sentence>
  Cover <LayersChip
    {open}
    ids={p.on}
    facet="placements"
    before={layer.id}
    none="no layer yet"
    label="on what"
    empty="No layer further left places anything yet."
    {disabled}
    onchange={(ids) => onchange('on', ids)}
  />{#if painted}, {painted},{/if}
  with <MixChip {open} mix={p.mix} label="what stands on it" {disabled} onchange={(v) => onchange('mix', v)} />
  on faces <Chip text={facesWords(p.facing)} label="which faces">{@render field('facing')}</Chip>, at least
  <Chip text="{shown(p.spacing, 0.01)} m apart" label="spacing">{@render field('spacing')}</Chip>, filled to
  <Chip text="{p.fill} %" label="fill">{@render field('fill')}</Chip><ConditionChips
    conditions={p.conditions ?? []}
    {choices}
    {disabled}
    {oninput}
    {onchange}
  />. Each stands <Chip text={lean} label="lean">{@render field('lean')}{@render field('tilt')}</Chip>,
  <Chip
    text={(p.turn === 360 ? 'turned any way' : `turned by up to ${p.turn}°`) + mirroredWords(p.mirrored)}
    label="turn">{@render field('turn')}{@render field('mirrored')}</Chip
  >, <Chip text={pair(p.size, '%')} label="size">{@render field('size')}</Chip> size, sunk
  <Chip text={pair(p.sink, 'cm')} label="how far it is sunk">{@render field('sink')}</Chip>.
</p>
{#if !disabled}
  <PlaceBrush {open} {layer} title="Painted over by brush">{@render field('only_painted')}</PlaceBrush>
{/if}
<MixAndWhere {open} {layer} {disabled} {oninput} {onchange} />
