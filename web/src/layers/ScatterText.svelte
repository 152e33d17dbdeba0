<script lang="ts">
  /** A scatter's rule in plain words, whose values are edited in place. */
  import type { Row, ScatterValues, Values } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import Field from '../controls/Field.svelte';
  import Picker from '../controls/Picker.svelte';
  import { shown } from '../state/values';
  import { giving, type PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();

  const p = $derived(layer.parameters as unknown as ScatterValues);
  const row = (path: string) => rows.find((r) => r.path === path) as Row;
  const mix = $derived(p.mix);
  const assets = $derived((open.scene?.assets ?? []).map((a) => ({ id: a.id, name: a.name, stamp: a.kind })));
  const of = (facet: string) =>
    giving(open.scene?.layers ?? [], facet).map((l) => ({ id: l.id, name: l.name, stamp: l.kind }));
  const named = (ids: string[], none: string) => ids.map((id) => open.layer(id)?.name ?? id).join(', ') || none;
  const gone = (ids: string[]) => ids.some((id) => !open.layer(id));
  const limit = (pair: [number, number], r: Row) => [pair[0] > (r.low ?? -Infinity), pair[1] < (r.high ?? Infinity)];
  const heights = $derived.by(() => {
    const pair = p.height;
    const [a, b] = limit(pair, row('height'));
    if (!a && !b) return 'at any height';
    if (a && b) return `${shown(pair[0], 0.01)} to ${shown(pair[1], 0.01)} m high`;
    return a ? `above ${shown(pair[0], 0.01)} m` : `below ${shown(pair[1], 0.01)} m`;
  });
  const slopes = $derived.by(() => {
    const pair = p.slope;
    const [a, b] = limit(pair, row('slope'));
    if (!a && !b) return 'on any slope';
    if (a && b) return `${shown(pair[0], 0.5)}–${shown(pair[1], 0.5)}° steep`;
    return a ? `steeper than ${shown(pair[0], 0.5)}°` : `under ${shown(pair[1], 0.5)}° steep`;
  });
  const what = $derived(mix.length ? mix.map((m) => open.asset(m.asset)?.name ?? m.asset).join(', ') : 'nothing yet');
  const lean = $derived(
    p.lean === 0 ? 'upright' : p.lean === 100 ? 'square to the slope' : `leaning ${p.lean} % with the slope`,
  );
  const pair = ([a, b]: [number, number], unit: string) => {
    return a === b ? `${a} ${unit}` : `${a}–${b} ${unit}`;
  };
</script>

{#snippet field(path: string)}
  <Field
    row={row(path)}
    value={(layer.parameters as Values)[path]}
    {disabled}
    oninput={(v) => oninput(path, v)}
    onchange={(v) => onchange(path, v)}
  />
{/snippet}

<p class="font-serif text-[17px] leading-[1.72]" data-sentence>
  Scatter <Chip text={what} label="what is scattered" missing={mix.some((m) => !open.asset(m.asset))}>
    <Picker
      choices={assets}
      chosen={mix.map((m) => m.asset)}
      weights={Object.fromEntries(mix.map((m) => [m.asset, m.weight]))}
      empty="There is no asset yet; make one in the sheet below."
      {disabled}
      onchange={(ids, weights) =>
        onchange(
          'mix',
          ids.map((id) => ({ asset: id, weight: weights[id] ?? 1 })),
        )}
    />
  </Chip>
  over <Chip text={named(p.areas, 'the whole ground')} tone="slate" label="where" missing={gone(p.areas)}>
    <Picker
      choices={of('region')}
      chosen={p.areas}
      empty="There is no area yet; add one to the strip."
      {disabled}
      onchange={(ids) => onchange('areas', ids)}
    />
  </Chip>, at least <Chip text="{shown(p.spacing, 0.05)} m apart" label="spacing">{@render field('spacing')}</Chip>,
  filled to <Chip text="{p.fill} %" label="fill">{@render field('fill')}</Chip>, clear of
  <Chip text={named(p.paths, 'no path')} tone="slate" label="paths kept clear" missing={gone(p.paths)}>
    <Picker
      choices={of('curve')}
      chosen={p.paths}
      empty="There is no path yet; add one to the strip."
      {disabled}
      onchange={(ids) => onchange('paths', ids)}
    />
    {@render field('clearance')}
  </Chip>
  by <Chip text="{shown(p.clearance, 0.1)} m" label="clearance">{@render field('clearance')}</Chip>, where the ground is
  <Chip text={heights} tone="ochre" label="height of the ground">{@render field('height')}</Chip> and
  <Chip text={slopes} tone="ochre" label="slope of the ground">{@render field('slope')}</Chip>. Each stands
  <Chip text={lean} label="lean">{@render field('lean')}</Chip>, <Chip
    text={p.turn === 360 ? 'turned any way' : `turned by up to ${p.turn}°`}
    label="turn">{@render field('turn')}</Chip
  >,
  <Chip text={pair(p.size, '%')} label="size">{@render field('size')}</Chip> size, sunk
  <Chip text={pair(p.sink, 'cm')} label="how far it is sunk">{@render field('sink')}</Chip>.
</p>
