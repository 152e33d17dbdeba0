<script lang="ts">
  /** A stone wall in plain words whose values are edited in place, and its openings. */
  import type { WallValues } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import BeginWith from '../parts/BeginWith.svelte';
  import LayerField from '../parts/LayerField.svelte';
  import WallOpenings from '../parts/WallOpenings.svelte';
  import { shown } from '../state/values';
  import { gateWords, wallHead, wallRuin } from '../state/walls';
  import type { PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();
  const p = $derived(layer.parameters as unknown as WallValues);

  const length = $derived(open.view(layer.id)?.curves?.[0]?.length ?? 0);
</script>

{#snippet field(path: string)}<LayerField {layer} {rows} {path} {disabled} {oninput} {onchange} />{/snippet}

<p class="relative font-serif text-[17px] leading-[1.72]" data-sentence>
  {p.joints === 'dry' ? 'A drystone wall' : 'A wall of stone in mortar'}, {Math.round(length)} m long,
  <Chip text="{shown(p.height, 0.05)} m high" label="height">{@render field('height')}{@render field('footing')}</Chip>
  and <Chip text="{shown(p.thickness, 0.01)} m thick" label="thickness"
    >{@render field('thickness')}{@render field('batter')}</Chip
  >, laid <Chip text={p.bond === 'courses' ? 'in courses' : 'as rubble'} label="how it is laid"
    >{@render field('bond')}{@render field('uneven')}{@render field('ties')}{@render field('joints')}</Chip
  >
  of stones <Chip text="{shown(p.sizes[0], 0.5)} to {shown(p.sizes[1], 0.5)} cm high" label="stones"
    >{@render field('sizes')}{@render field('lengths')}</Chip
  >, <Chip
    text={p.coping === 'none'
      ? 'without coping'
      : p.coping === 'flat'
        ? 'coped with flat stones'
        : 'coped with stones on edge'}
    label="coping"
    >{@render field('coping')}{#if p.coping !== 'none'}{@render field('cope')}{/if}</Chip
  >. It <Chip text={p.follows === 'slope' ? 'follows the slope' : 'goes in level steps'} label="the ground"
    >{@render field('follows')}{#if p.follows === 'steps'}{@render field('step')}{/if}</Chip
  >
  and <Chip text={p.bends === 'round' ? 'bends' : 'turns with corner stones'} label="at its points"
    >{@render field('bends')}{@render field('closed')}</Chip
  >
  at its points. Where a path crosses <Chip text={wallHead(p)} label="where a path crosses"
    >{@render field('crossed')}{#if p.crossed !== 'none'}{@render field(
        'beside',
      )}{/if}{#if p.crossed === 'lintel' || p.crossed === 'arch'}{@render field('clear')}{/if}</Chip
  >{#if p.crossed !== 'none'}, where hangs <Chip text={gateWords(p.gate)} label="gates"
      >{@render field('gate')}{#if p.gate !== 'none'}{@render field('ajar')}{/if}</Chip
    > over <Chip text={p.paved === 'none' ? 'the ground as it is' : p.paved} label="paving"
      >{@render field('paved')}{#if p.paved !== 'none'}{@render field('apron')}{/if}</Chip
    >{/if}. <Chip text={wallRuin(p.ruin)} label="ruin">{@render field('ruin')}{@render field('ruin_seed')}</Chip>.
</p>
{#if !disabled}
  <BeginWith {open} {layer} {rows} called="the wall" />
{/if}
<WallOpenings {open} {layer} {disabled} {oninput} {onchange} />
