<script lang="ts">
  /** A brick run in plain words whose values are edited in place, its openings, and its blocks as a list. */
  import { Button } from 'flowbite-svelte';
  import type { BricksValues } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import BeginWith from '../parts/BeginWith.svelte';
  import BlockList from '../parts/BlockList.svelte';
  import LayerField from '../parts/LayerField.svelte';
  import WallOpenings from '../parts/WallOpenings.svelte';
  import { bondWords, gateWords, wallHead } from '../state/walls';
  import { shown } from '../state/values';
  import type { PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();
  const p = $derived(layer.parameters as unknown as BricksValues);
  const turning = $derived(['running', 'third', 'stack', 'pierced'].includes(p.bond));
  const length = $derived(open.view(layer.id)?.curves?.[0]?.length ?? 0);
  let listOpen = $state(false);
</script>

{#snippet field(path: string)}<LayerField {layer} {rows} {path} {disabled} {oninput} {onchange} />{/snippet}

<p class="relative font-serif text-[17px] leading-[1.72]" data-sentence>
  A run of {Math.round(length)} m,
  <Chip text="{p.courses} courses high" label="height"
    >{@render field('courses')}{@render field('cap')}{@render field('footing')}</Chip
  >, of blocks <Chip text="{shown(p.long, 1)} × {shown(p.wide, 1)} × {shown(p.high, 1)} mm" label="blocks"
    >{@render field('long')}{@render field('wide')}{@render field('high')}</Chip
  >, laid <Chip text={bondWords(p)} label="bond"
    >{@render field('bond')}{#if turning}{@render field('rows')}{@render field('turn_even')}{@render field(
        'turn_odd',
      )}{/if}</Chip
  >
  {p.joints === 'dry' ? 'without mortar, with' : 'in mortar, with'}
  <Chip text="joints of {shown(p.gap, 1)} mm" label="joints"
    >{@render field('gap')}{@render field('bed')}{@render field('joints')}{#if p.joints === 'mortar'}{@render field(
        'mortar',
      )}{/if}</Chip
  >. Its top <Chip text={p.follows === 'level' ? 'is level' : 'follows the ground in steps'} label="the ground"
    >{@render field('follows')}{#if p.follows === 'steps'}{@render field('step')}{/if}</Chip
  >; it <Chip text={p.bends === 'round' ? 'bends' : 'turns'} label="at its points"
    >{@render field('bends')}{@render field('closed')}</Chip
  >
  at its points. Where a path crosses <Chip text={wallHead(p)} label="where a path crosses"
    >{@render field('crossed')}{#if p.crossed !== 'none'}{@render field(
        'beside',
      )}{/if}{#if p.crossed === 'lintel'}{@render field('clear')}{/if}</Chip
  >{#if p.crossed !== 'none'}, where hangs <Chip text={gateWords(p.gate)} label="gates"
      >{@render field('gate')}{#if p.gate !== 'none'}{@render field('ajar')}{/if}</Chip
    > over <Chip text={p.paved === 'none' ? 'the ground as it is' : p.paved} label="paving"
      >{@render field('paved')}{#if p.paved !== 'none'}{@render field('apron')}{/if}</Chip
    >{/if}.
</p>
<div class="flex gap-2">
  {#if !disabled}
    <BeginWith {open} {layer} {rows} called="the run" />
  {/if}
  <Button color="alternative" size="xs" class="mt-2" onclick={() => (listOpen = true)}>List of blocks…</Button>
</div>
<BlockList bind:open={listOpen} {layer} scene={open} />
<WallOpenings {open} {layer} {disabled} {oninput} {onchange} heads={['open', 'lintel']} />
