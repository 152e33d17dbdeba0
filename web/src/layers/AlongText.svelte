<script lang="ts">
  /** What stands along paths, in plain words whose values are edited in place; below them the paths made straight. */
  import { createQuery } from '@tanstack/svelte-query';
  import type { AlongValues } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import ConditionChips from '../parts/ConditionChips.svelte';
  import LayersChip from '../parts/LayersChip.svelte';
  import LayerField from '../parts/LayerField.svelte';
  import MixAndWhere from '../parts/MixAndWhere.svelte';
  import MixChip from '../parts/MixChip.svelte';
  import StripMap from '../parts/StripMap.svelte';
  import { facingWords, SIDES, spinWords, SPREAD } from '../state/along';
  import { stripsQuery } from '../state/queries';
  import { mirroredWords, pair, shown } from '../state/values';
  import { choicesOf, type PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();
  const p = $derived(layer.parameters as unknown as AlongValues);
  const conditions = $derived(p.conditions ?? []);
  const choices = (facet: string) => choicesOf(open, facet, layer.id);
  const strips = createQuery(() => stripsQuery(open.id, layer.id, open.scene?.edits ?? 0));
  const spinning = $derived(spinWords(p));
  const FREE = ['free_start', 'free_end'] as const;
  const metres = (v: number) => `${shown(v, 0.05)} m`;
</script>

{#snippet field(path: string)}<LayerField {layer} {rows} {path} {disabled} {oninput} {onchange} />{/snippet}

<p class="relative font-serif text-[17px] leading-[1.72]" data-sentence>
  Set <MixChip {open} mix={p.mix} label="what is set" {disabled} onchange={(v) => onchange('mix', v)} />
  along <LayersChip
    {open}
    ids={p.paths}
    facet="curve"
    none="no path yet"
    label="along which paths"
    empty="There is no path yet; add one to the strip."
    {disabled}
    onchange={(ids) => onchange('paths', ids)}
  />, <Chip text={SPREAD[p.layout] ?? p.layout} label="spread"
    >{@render field('layout')}{#if p.layout === 'jittered'}{@render field('jitter')}{/if}</Chip
  > every <Chip text={metres(p.spacing)} label="spacing">{@render field('spacing')}</Chip>,
  <Chip text={SIDES[p.sides] ?? p.sides} label="sides">{@render field('sides')}</Chip>{#if p.sides !== 'middle'}, <Chip
      text={metres(p.offset)}
      label="from its middle">{@render field('offset')}</Chip
    > from it{/if}{#if p.rows > 1}, in <Chip text="{p.rows} rows" label="rows">{@render field('rows')}</Chip>
    <Chip text="{metres(p.between)} apart" label="between rows">{@render field('between')}</Chip
    >{/if}{#if p.cluster > 1}, <Chip text="{p.cluster} at each place" label="at each place"
      >{@render field('cluster')}</Chip
    > within <Chip text={metres(p.radius)} label="within">{@render field('radius')}</Chip
    >{/if}{#if p.free_start || p.free_end}, with <Chip
      text={pair([p.free_start, p.free_end], 'm')}
      label="free at its ends">{@render field('free_start')}{@render field('free_end')}</Chip
    > free at its ends{/if}{#if p.apart !== 'no'}, <Chip text="until no {p.apart} touch" label="pushed apart"
      >{@render field('apart')}</Chip
    >{/if}<ConditionChips {conditions} {choices} {disabled} {oninput} {onchange} />. Each faces
  <Chip text={facingWords(p) + mirroredWords(p.mirrored)} label="facing"
    >{@render field('facing')}{#if p.facing === 'fixed'}{@render field('azimuth')}{/if}{@render field(
      'turn',
    )}{@render field('mirrored')}</Chip
  >, <Chip text={pair(p.size, '%')} label="size">{@render field('size')}</Chip> size, sunk
  <Chip text="{pair(p.sink, 'cm')}{p.grounded ? ' and until no gap shows' : ''}" label="how far it is sunk"
    >{@render field('sink')}{@render field('grounded')}</Chip
  >{#if spinning}, and spins <Chip text={spinning} label="how fast it spins"
      >{@render field('spin')}{@render field('spin_sides')}{@render field('spin_front')}</Chip
    >{/if}.
</p>

{#each strips.data ?? [] as strip (strip.path)}
  <StripMap
    {strip}
    free={[p.free_start, p.free_end]}
    {disabled}
    oninput={(end, v) => oninput(FREE[end], v)}
    onchange={(end, v) => onchange(FREE[end], v)}
  />
{/each}

<MixAndWhere {open} {layer} {disabled} {oninput} {onchange} />
