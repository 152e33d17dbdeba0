<script lang="ts">
  /** What lies in piles, in plain words whose values are edited in place. */
  import type { PileValues } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import LayerField from '../parts/LayerField.svelte';
  import MixAndWhere from '../parts/MixAndWhere.svelte';
  import MixChip from '../parts/MixChip.svelte';
  import { mirroredWords, pair, shown } from '../state/values';
  import type { PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();
  const p = $derived(layer.parameters as unknown as PileValues);
  const places = $derived(p.points.length === 1 ? 'one place' : `each of ${p.points.length} places`);
  const rough = $derived(
    p.friction < 0.15 ? 'slide like ice' : p.friction < 0.5 ? 'slide' : p.friction < 1 ? 'hold' : 'hold fast',
  );
</script>

{#snippet field(path: string)}<LayerField {layer} {rows} {path} {disabled} {oninput} {onchange} />{/snippet}

<p class="relative font-serif text-[17px] leading-[1.72]" data-sentence>
  Pile <Chip text={p.count.toLocaleString('en')} label="how many">{@render field('count')}</Chip>
  <MixChip {open} mix={p.mix} label="what is piled up" {disabled} onchange={(v) => onchange('mix', v)} />
  at {places}, within <Chip text="{shown(p.radius, 0.05)} m" label="within">{@render field('radius')}</Chip>:
  <Chip
    text={p.how === 'dropped' ? 'dropped and settled' : 'set on the ground, clear of each other'}
    label="dropped or set">{@render field('how')}</Chip
  >{#if p.how === 'dropped'}, where they <Chip text={rough} label="how rough">{@render field('friction')}</Chip>{/if}.
  Each is <Chip text={pair(p.size, '%') + mirroredWords(p.mirrored)} label="size"
    >{@render field('size')}{@render field('mirrored')}</Chip
  > size.
</p>
<MixAndWhere {open} {layer} {disabled} {oninput} {onchange} />
