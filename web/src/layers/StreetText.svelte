<script lang="ts">
  /** A street in plain words whose values are edited in place: its houses, then each of its other parts. */
  import type { StreetValues } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import ConditionChips from '../parts/ConditionChips.svelte';
  import LayersChip from '../parts/LayersChip.svelte';
  import LayerField from '../parts/LayerField.svelte';
  import MixAndWhere from '../parts/MixAndWhere.svelte';
  import MixChip from '../parts/MixChip.svelte';
  import type { MixEntry } from '../state/mix';
  import { pavedWords, STREET_SIDES } from '../state/streets';
  import { shown } from '../state/values';
  import { choicesOf, type PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();
  const p = $derived(layer.parameters as unknown as StreetValues);
  const choices = (facet: string) => choicesOf(open, facet, layer.id);
  const metres = (v: number) => `${shown(v, 0.05)} m`;
</script>

{#snippet field(path: string)}<LayerField {layer} {rows} {path} {disabled} {oninput} {onchange} />{/snippet}
{#snippet part(path: string, mix: MixEntry[], label: string)}<MixChip
    {open}
    {mix}
    {label}
    {disabled}
    onchange={(v) => onchange(path, v)}
  />{/snippet}

<p class="relative font-serif text-[17px] leading-[1.72]" data-sentence>
  Build {@render part('mix', p.mix, 'what is built')} along <LayersChip
    {open}
    ids={p.paths}
    facet="curve"
    none="no path yet"
    label="along which paths"
    empty="There is no path yet; add one to the strip."
    {disabled}
    onchange={(ids) => onchange('paths', ids)}
  />
  <Chip text={STREET_SIDES[p.sides]} label="sides">{@render field('sides')}</Chip>, a plot every
  <Chip text={metres(p.spacing)} label="spacing">{@render field('spacing')}{@render field('jitter')}</Chip>, fronts
  <Chip text={metres(p.back)} label="set back">{@render field('back')}{@render field('uneven')}</Chip> from it and houses
  <Chip text={metres(p.apart)} label="apart">{@render field('apart')}</Chip> apart, in
  <Chip text={p.rows === 1 ? 'one row' : `${p.rows} rows`} label="rows"
    >{@render field('rows')}{#if p.rows > 1}{@render field('between')}{/if}</Chip
  >, turned by up to <Chip text="{shown(p.turn, 1)}°" label="turned">{@render field('turn')}</Chip><ConditionChips
    conditions={p.conditions ?? []}
    {choices}
    {disabled}
    {oninput}
    {onchange}
  />.
</p>
<p class="relative mt-2 font-serif text-[17px] leading-[1.72]" data-sentence-more>
  Landmarks: {@render part('landmarks', p.landmarks, 'landmarks')}{#if p.landmarks.length}, on
    <Chip text="{shown(p.landmark_share, 1)} %" label="share of landmarks"
      >{@render field('landmark_share')}{@render field('landmark_apart')}{@render field('landmark_seed')}</Chip
    > of plots{/if}. Plots are <Chip text={{ none: 'open', hedge: 'hedged', wall: 'walled' }[p.plots]} label="plots"
    >{@render field('plots')}</Chip
  >{#if p.plots === 'hedge'}
    with {@render part('hedge', p.hedge, 'what hedges are of')},
    <Chip text="{metres(p.hedge_deep)} deep" label="plots in numbers"
      >{@render field('hedge_deep')}{@render field('hedge_front')}{@render field('hedge_spacing')}{@render field(
        'gate',
      )}{@render field('hedge_seed')}</Chip
    >{:else if p.plots === 'wall'},
    <Chip text="{metres(p.wall_high)} high" label="walls of plots"
      >{@render field('wall_high')}{@render field('wall_thick')}{@render field('wall_stones')}{@render field(
        'wall_light',
      )}{@render field('wall_dark')}</Chip
    >,
    <Chip text="{metres(p.hedge_deep)} deep" label="plots in numbers"
      >{@render field('hedge_deep')}{@render field('hedge_front')}{@render field('gate')}{@render field(
        'hedge_seed',
      )}</Chip
    >{/if}. Trees: {@render part('trees', p.trees, 'trees')}{#if p.trees.length}
    <Chip
      text="{p.trees_stand === 'middle' ? 'in its middle' : 'beside it'}, every {metres(p.tree_spacing)}"
      label="where trees stand"
      >{@render field('trees_stand')}{@render field('tree_spacing')}{@render field(
        'tree_jitter',
      )}{#if p.trees_stand === 'outside'}{@render field('tree_offset')}{/if}{@render field('tree_seed')}</Chip
    >{/if}. Lamps: {@render part('lamps', p.lamps, 'lamps')}{#if p.lamps.length}
    <Chip text="every {metres(p.lamp_spacing)}" label="where lamps stand"
      >{@render field('lamp_spacing')}{@render field('lamp_offset')}{@render field('lamp_seed')}</Chip
    >{/if}. The way is <Chip text={pavedWords(p)} label="paving"
    >{@render field('paved')}{#if p.paved !== 'none'}{@render field('slab')}{@render field('way')}{@render field(
        'lift',
      )}{@render field('kerb')}{@render field('light')}{@render field('dark')}{@render field('way_seed')}{/if}</Chip
  >.
</p>

<MixAndWhere {open} {layer} {disabled} {oninput} {onchange} />
