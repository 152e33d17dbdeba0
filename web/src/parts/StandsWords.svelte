<script lang="ts">
  /** How things stand on the ground, as the end of a sentence. */
  import type { Layer, Row, StanceValues } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import { direction } from '../state/conditions';
  import { mirroredWords, pair, shown } from '../state/values';
  import LayerField from './LayerField.svelte';

  let {
    layer,
    rows,
    disabled,
    oninput,
    onchange,
  }: {
    layer: Layer;
    rows: Row[];
    disabled: boolean;
    oninput: (path: string, value: unknown) => void;
    onchange: (path: string, value: unknown) => void;
  } = $props();
  const p = $derived(layer.parameters as unknown as StanceValues);
  const lean = $derived(
    (p.lean === 0 ? 'upright' : p.lean === 100 ? 'square to the slope' : `leaning ${p.lean} % with the slope`) +
      (p.tilt ? `, tilted by up to ${shown(p.tilt, 0.5)}°` : ''),
  );
  const turned = $derived(
    (p.turn === 360
      ? 'turned any way'
      : `facing ${direction(p.facing)}${p.turn ? `, turned by up to ${p.turn}°` : ''}`) +
      (p.turn_step ? `, in steps of ${p.turn_step}°` : '') +
      mirroredWords(p.mirrored),
  );
</script>

{#snippet field(path: string)}<LayerField {layer} {rows} {path} {disabled} {oninput} {onchange} />{/snippet}

Each stands
<Chip text={lean} label="lean">{@render field('lean')}{@render field('tilt')}</Chip>, <Chip text={turned} label="turn"
  >{@render field('turn')}{@render field('facing')}{@render field('turn_step')}{@render field('mirrored')}</Chip
>,
<Chip text={pair(p.size, '%')} label="size">{@render field('size')}</Chip> size{#if !p.linked},
  <Chip text={pair(p.tall, '%')} label="height">{@render field('tall')}</Chip> height{/if}, sunk
<Chip text="{pair(p.sink, 'cm')}{p.grounded ? ' and until no gap shows' : ''}" label="how far it is sunk"
  >{@render field('sink')}{@render field('grounded')}</Chip
>.
