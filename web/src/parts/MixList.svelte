<script lang="ts">
  /** The assets of a mix, each with what it likes and a size of its own. */
  import type { Row } from '../api/client';
  import Conditions from '../controls/Conditions.svelte';
  import Field from '../controls/Field.svelte';
  import type { Choice } from '../controls/Picker.svelte';
  import { app } from '../state/app.svelte';
  import { withLiking, withOwn, type MixEntry } from '../state/mix';

  let {
    mix,
    named,
    choices,
    disabled,
    oninput,
    onchange,
  }: {
    mix: MixEntry[];
    named: (asset: string) => string;
    choices: (facet: string) => Choice[];
    disabled: boolean;
    oninput: (mix: MixEntry[]) => void;
    onchange: (mix: MixEntry[]) => void;
  } = $props();
  let opened = $state('');
  const rows = $derived<Row[]>(app.settings.mix ?? []);
  const total = $derived(mix.reduce((sum, m) => sum + m.weight, 0));

  function summary(m: MixEntry): string {
    const n = m.conditions?.length ?? 0;
    const [low, high] = m.size ?? [100, 100];
    const own = low === 100 && high === 100 ? '' : `${low}–${high}%`;
    const likes = n ? `${n} ${n === 1 ? 'condition' : 'conditions'}` : '';
    return [`${Math.round((100 * m.weight) / total)}%`, own, likes].filter(Boolean).join(' · ');
  }
</script>

<section class="rule mt-3 pt-2" aria-label="the mix">
  <div class="mb-1 flex items-baseline justify-between">
    <h2 class="text-[14px]">Each of the mix</h2>
    <span class="text-[12px] text-soft">share, size, liking</span>
  </div>
  <ul class="flex flex-col gap-1">
    {#each mix as m (m.asset)}
      <li class="rounded border border-line" data-entry={m.asset}>
        <button
          class="flex w-full items-center gap-2 px-2 py-1 text-left"
          aria-expanded={opened === m.asset}
          onclick={() => (opened = opened === m.asset ? '' : m.asset)}
        >
          <span class="flex-1 truncate font-serif">{named(m.asset)}</span>
          <span class="text-[11.5px] text-soft">{summary(m)}</span>
        </button>
        {#if opened === m.asset}
          <div class="px-1.5 pb-2">
            {#each rows as r (r.path)}
              <Field
                row={r}
                value={m[r.path]}
                {disabled}
                oninput={(v) => oninput(withOwn(mix, m.asset, r.path, v))}
                onchange={(v) => onchange(withOwn(mix, m.asset, r.path, v))}
              />
            {/each}
            <Conditions
              conditions={m.conditions ?? []}
              most={8}
              {choices}
              {disabled}
              oninput={(id, v) => oninput(withLiking(mix, m.asset, id, v))}
              onchange={(id, v) => onchange(withLiking(mix, m.asset, id, v))}
            />
          </div>
        {/if}
      </li>
    {/each}
  </ul>
</section>
