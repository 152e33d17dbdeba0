<script lang="ts">
  /** A climber in plain words whose values are edited in place: what it climbs, its stems, its leaves. */
  import type { ClimberValues } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import BeginWith from '../parts/BeginWith.svelte';
  import LayersChip from '../parts/LayersChip.svelte';
  import LayerField from '../parts/LayerField.svelte';
  import MixAndWhere from '../parts/MixAndWhere.svelte';
  import MixChip from '../parts/MixChip.svelte';
  import { startsWords } from '../state/climbers';
  import { pair, shown } from '../state/values';
  import type { PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();
  const p = $derived(layer.parameters as unknown as ClimberValues);
</script>

{#snippet field(path: string)}<LayerField {layer} {rows} {path} {disabled} {oninput} {onchange} />{/snippet}

<p class="relative font-serif text-[17px] leading-[1.72]" data-sentence>
  It climbs <LayersChip
    {open}
    ids={p.on}
    facet="thing"
    before={layer.id}
    none="nothing yet"
    label="what it climbs"
    empty="Nothing that it could climb stands to its left."
    {disabled}
    onchange={(ids) => onchange('on', ids)}
  />, starting <Chip text={startsWords(p)} label="where it starts"
    >{@render field('starts')}{#if p.starts === 'foot'}{@render field('share')}{@render field('facing')}{@render field(
        'either',
      )}{/if}</Chip
  >, with <Chip text="{p.stems} stems" label="stems"
    >{@render field('stems')}{@render field('thick')}{@render field('tint')}</Chip
  > up to <Chip text="{shown(p.reach, 0.1)} m" label="reach">{@render field('reach')}{@render field('age')}</Chip> long that
  <Chip text={p.wander > 0.66 ? 'wander far' : p.wander > 0.2 ? 'wander' : 'go straight'} label="how they grow"
    >{@render field('wander')}{@render field('up')}{@render field('cling')}{@render field('gap')}</Chip
  >. It bears <MixChip {open} mix={p.mix} label="its leaves" {disabled} onchange={(v) => onchange('mix', v)} />,
  <Chip text="{shown(p.dense, 1)} a metre" label="how many leaves"
    >{@render field('dense')}{@render field('aside')}{@render field('bare')}{@render field(
      'thinned',
    )}{#if p.thinned > 0}{@render field('thin_facing')}{/if}</Chip
  >, <Chip text={pair(p.size, '%')} label="size">{@render field('size')}{@render field('tilt')}</Chip> size.
</p>

{#if !disabled}
  <BeginWith {open} {layer} {rows} called="the climber" />
{/if}
<MixAndWhere {open} {layer} {disabled} {oninput} {onchange} />
