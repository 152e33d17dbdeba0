<script lang="ts">
  /** A scatter's rule in plain words, whose values are edited in place. */
  import type { Row, ScatterValues, Values } from '../api/client';
  import Chip from '../controls/Chip.svelte';
  import Field from '../controls/Field.svelte';
  import ConditionForm from '../controls/ConditionForm.svelte';
  import Conditions from '../controls/Conditions.svelte';
  import Picker from '../controls/Picker.svelte';
  import MixList from '../parts/MixList.svelte';
  import { app } from '../state/app.svelte';
  import { chosenOf } from '../state/mix';
  import { direction, wordsOf } from '../state/conditions';
  import { shown } from '../state/values';
  import { choicesOf, giving, type PartProps } from './registry';

  let { open, layer, rows, disabled, oninput, onchange }: PartProps = $props();

  const p = $derived(layer.parameters as unknown as ScatterValues);
  const row = (path: string) => rows.find((r) => r.path === path) as Row;
  const mix = $derived(p.mix);
  const assets = $derived((open.scene?.assets ?? []).map((a) => ({ id: a.id, name: a.name, stamp: a.kind })));
  const of = (facet: string) =>
    giving(open.scene?.layers ?? [], facet).map((l) => ({ id: l.id, name: l.name, stamp: l.kind }));
  const named = (ids: string[], none: string) => ids.map((id) => open.layer(id)?.name ?? id).join(', ') || none;
  const gone = (ids: string[]) => ids.some((id) => !open.layer(id));
  const conditions = $derived(p.conditions ?? []);
  const choices = (facet: string) => choicesOf(open, facet, layer.id);
  const words = $derived(conditions.map((c) => wordsOf(c, app.measures, choices)));
  const what = $derived(mix.length ? mix.map((m) => open.asset(m.asset)?.name ?? m.asset).join(', ') : 'nothing yet');
  const lean = $derived(
    (p.lean === 0 ? 'upright' : p.lean === 100 ? 'square to the slope' : `leaning ${p.lean} % with the slope`) +
      (p.tilt ? `, tilted by up to ${shown(p.tilt, 0.5)}°` : ''),
  );
  const turned = $derived(
    (p.turn === 360
      ? 'turned any way'
      : `facing ${direction(p.facing)}${p.turn ? `, turned by up to ${p.turn}°` : ''}`) +
      (p.turn_step ? `, in steps of ${p.turn_step}°` : ''),
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
      onchange={(ids, weights) => onchange('mix', chosenOf(mix, ids, weights))}
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
  {#if p.how_many === 'per-hectare'}<Chip
      text="{p.per_hectare.toLocaleString('en')} a hectare"
      label="how many a hectare">{@render field('per_hectare')}</Chip
    >{:else}filled to <Chip text="{p.fill} %" label="fill">{@render field('fill')}</Chip
    >{/if}{#each conditions as c, k (c.id)}{k ? (k === conditions.length - 1 ? ' and ' : ', ') : ', where '}<Chip
      text={words[k]?.text ?? c.of}
      tone="ochre"
      label="condition: {c.of}"
      missing={words[k]?.missing}
      wide
    >
      <ConditionForm
        condition={c}
        {choices}
        {disabled}
        oninput={(v) => oninput(`conditions#${c.id}`, v)}
        onchange={(v) => onchange(`conditions#${c.id}`, v)}
      />
    </Chip>{/each}. Each stands
  <Chip text={lean} label="lean">{@render field('lean')}{@render field('tilt')}</Chip>, <Chip text={turned} label="turn"
    >{@render field('turn')}{@render field('facing')}{@render field('turn_step')}</Chip
  >,
  <Chip text={pair(p.size, '%')} label="size">{@render field('size')}</Chip> size{#if !p.linked},
    <Chip text={pair(p.tall, '%')} label="height">{@render field('tall')}</Chip> height{/if}, sunk
  <Chip text={pair(p.sink, 'cm')} label="how far it is sunk">{@render field('sink')}</Chip>.
</p>
{#if mix.length > 1 || mix.some((m) => m.conditions?.length)}
  <MixList
    {mix}
    named={(id) => open.asset(id)?.name ?? `${id} (missing)`}
    {choices}
    {disabled}
    oninput={(v) => oninput('mix', v)}
    onchange={(v) => onchange('mix', v)}
  />
{/if}
<section class="rule mt-3 pt-2" aria-label="where">
  <h2 class="mb-1 text-[14px]">Where</h2>
  <Conditions
    {conditions}
    most={row('conditions').most ?? 8}
    {choices}
    {disabled}
    oninput={(id, v) => oninput(`conditions#${id}`, v)}
    onchange={(id, v) => onchange(`conditions#${id}`, v)}
  />
</section>
