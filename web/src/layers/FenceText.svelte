<script lang="ts">
  /** A fence in plain words whose values are edited in place, and its openings. */
  import type { FenceValues } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import BeginWith from '../parts/BeginWith.svelte';
  import LayerField from '../parts/LayerField.svelte';
  import WallOpenings from '../parts/WallOpenings.svelte';
  import { shown } from '../state/values';
  import { gateWords } from '../state/walls';
  import type { PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();
  const p = $derived(layer.parameters as unknown as FenceValues);
  const length = $derived(open.view(layer.id)?.curves?.[0]?.length ?? 0);
  const STYLES = { rails: 'of posts and rails', pales: 'of pales', boards: 'of boards' };
</script>

{#snippet field(path: string)}<LayerField {layer} {rows} {path} {disabled} {oninput} {onchange} />{/snippet}

<p class="relative font-serif text-[17px] leading-[1.72]" data-sentence>
  A fence <Chip text={STYLES[p.style]} label="what it is built of"
    >{@render field('style')}{#if p.style !== 'rails'}{@render field(
        'pale',
      )}{/if}{#if p.style === 'pales'}{@render field('gap')}{/if}</Chip
  >, {Math.round(length)} m long and <Chip text="{shown(p.height, 0.05)} m high" label="height"
    >{@render field('height')}{@render field('lift')}</Chip
  >, its posts <Chip text="{shown(p.bay, 0.05)} m apart" label="posts"
    >{@render field('bay')}{@render field('post')}{@render field('off')}</Chip
  >
  with <Chip text={p.rails === 1 ? 'one rail' : `${p.rails} rails`} label="rails"
    >{@render field('rails')}{@render field('rail')}{@render field('thin')}</Chip
  >. It <Chip text={p.bends === 'round' ? 'bends' : 'turns'} label="at its points"
    >{@render field('bends')}{@render field('closed')}</Chip
  >
  at its points. Where a path crosses <Chip
    text={p.crossed === 'none' ? 'it goes on' : 'it is open'}
    label="where a path crosses"
    >{@render field('crossed')}{#if p.crossed !== 'none'}{@render field('beside')}{/if}</Chip
  >, and in openings hangs <Chip text={gateWords(p.gate)} label="gates"
    >{@render field('gate')}{#if p.gate !== 'none'}{@render field('ajar')}{/if}</Chip
  >.
</p>
{#if !disabled}
  <BeginWith {open} {layer} {rows} called="the fence" />
{/if}
<WallOpenings {open} {layer} {disabled} {oninput} {onchange} heads={['open']} />
