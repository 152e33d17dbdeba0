<script lang="ts">
  /** What hangs in the air, in plain words whose values are edited in place. */
  import type { AirValues } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import ConditionChips from '../parts/ConditionChips.svelte';
  import LayerField from '../parts/LayerField.svelte';
  import MixAndWhere from '../parts/MixAndWhere.svelte';
  import MixChip from '../parts/MixChip.svelte';
  import { biasWords, bodyWords } from '../state/air';
  import { direction } from '../state/conditions';
  import { mirroredWords, pair, shown } from '../state/values';
  import { choicesOf, type PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();
  const p = $derived(layer.parameters as unknown as AirValues);
  const choices = (facet: string) => choicesOf(open, facet, layer.id);
  const turned = $derived(
    (p.turn === 360
      ? 'turned any way'
      : `facing ${direction(p.facing)}${p.turn ? `, turned by up to ${p.turn}°` : ''}`) + mirroredWords(p.mirrored),
  );
  const tilted = $derived(p.tilt >= 180 ? 'any way up' : p.tilt ? `tilted by up to ${p.tilt}°` : 'upright');
</script>

{#snippet field(path: string)}<LayerField {layer} {rows} {path} {disabled} {oninput} {onchange} />{/snippet}

<p class="relative font-serif text-[17px] leading-[1.72]" data-sentence>
  Hang <Chip text={p.count.toLocaleString('en')} label="how many">{@render field('count')}</Chip>
  <MixChip {open} mix={p.mix} label="what hangs there" {disabled} onchange={(v) => onchange('mix', v)} />
  in <Chip text={bodyWords(p)} label="the body"
    >{@render field('form')}{@render field('wide')}{@render field('tall')}{#if p.form !== 'tube'}{@render field(
        'deep',
      )}{/if}</Chip
  >, its middle <Chip text="{shown(p.above, 0.1)} m" label="above the ground">{@render field('above')}</Chip> above the ground,
  <Chip text={biasWords(p.bias)} label="towards the rim">{@render field('bias')}</Chip>{#if p.apart}, at least
    <Chip text="{shown(p.apart, 0.05)} m apart" label="apart">{@render field('apart')}</Chip>{/if}<ConditionChips
    conditions={p.conditions ?? []}
    {choices}
    {disabled}
    {oninput}
    {onchange}
  />. Each is
  <Chip text={p.dropped ? 'dropped to the ground' : 'left where it hangs'} label="dropped or left"
    >{@render field('dropped')}{#if p.dropped}{@render field('lean')}{/if}</Chip
  >, <Chip text={tilted} label="tilt">{@render field('tilt')}</Chip>, <Chip text={turned} label="turn"
    >{@render field('turn')}{@render field('facing')}{@render field('mirrored')}</Chip
  >, <Chip text={pair(p.size, '%')} label="size">{@render field('size')}</Chip> size.
</p>
<MixAndWhere {open} {layer} {disabled} {oninput} {onchange} />
