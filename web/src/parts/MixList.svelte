<script lang="ts">
  /** The assets of a mix, each with its share and what of it stands, what it likes and a size of its own; kept mixes among them. */
  import { Button, Input } from 'flowbite-svelte';
  import type { Choice } from '../controls/Picker.svelte';
  import { assetsIn, namedMix, takenApart, type MixEntry } from '../state/mix';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import KeptMix from './KeptMix.svelte';
  import MixEntryForm from './MixEntryForm.svelte';

  let {
    open,
    mix,
    counts,
    choices,
    disabled,
    oninput,
    onchange,
  }: {
    open: SceneStore;
    mix: MixEntry[];
    counts: Record<string, number>; // of each asset, as they stand now
    choices: (facet: string) => Choice[];
    disabled: boolean;
    oninput: (mix: MixEntry[]) => void;
    onchange: (mix: MixEntry[]) => void;
  } = $props();
  let opened = $state('');
  let keeping = $state(false);
  let name = $state('');
  const total = $derived(mix.reduce((sum, m) => sum + m.weight, 0));
  const kept = (id: string) => namedMix(open.scene?.settings, id);
  const named = (id: string) => open.asset(id)?.name ?? kept(id)?.name ?? `${id} (missing)`;
  const keepable = $derived(mix.length > 1 && !mix.some((m) => kept(m.asset)));

  function summary(m: MixEntry): string {
    const n = m.conditions?.length ?? 0;
    const [low, high] = m.size ?? [100, 100];
    const own = low === 100 && high === 100 ? '' : `${low}–${high}%`;
    const seeds = m.seeds?.length ? `${m.seeds.length} ${m.seeds.length === 1 ? 'seed' : 'seeds'}` : '';
    const likes = n ? `${n} ${n === 1 ? 'condition' : 'conditions'}` : '';
    const stand = assetsIn(open.scene?.settings, m.asset).reduce((sum, a) => sum + (counts[a] ?? 0), 0);
    const share = total ? `${Math.round((100 * m.weight) / total)}%` : '';
    return [share, stand.toLocaleString('en'), own, seeds, likes].filter(Boolean).join(' · ');
  }

  /** The mix under a name of its own; this layer takes it as the first of others. */
  async function keep() {
    const id = crypto.randomUUID().slice(0, 8);
    const made = { name: name.trim(), entries: $state.snapshot(mix) };
    keeping = false;
    name = '';
    if (await open.edit({ op: 'scene', settings: { [`mixes#${id}`]: made } })) onchange([{ asset: id, weight: 1 }]);
  }
</script>

<section class="rule mt-3 pt-2" aria-label="the mix">
  <div class="mb-1 flex items-baseline justify-between">
    <h2 class="text-[14px]">Each of the mix</h2>
    <span class="text-[12px] text-soft">share · how many stand</span>
  </div>
  <ul class="flex flex-col gap-1">
    {#each mix as m (m.asset)}
      <li class="rounded border border-line" data-entry={m.asset}>
        <button
          class="flex w-full items-center gap-2 px-2 py-1 text-left"
          aria-expanded={opened === m.asset}
          onclick={() => (opened = opened === m.asset ? '' : m.asset)}
        >
          <span class="flex-1 truncate font-serif {kept(m.asset) ? 'italic' : ''}">{named(m.asset)}</span>
          <span class="text-[11.5px] text-soft">{summary(m)}</span>
        </button>
        {#if opened === m.asset}
          <div class="px-1.5 pb-2">
            <MixEntryForm
              entry={m}
              {mix}
              seeds={open.asset(m.asset)?.seeds ?? []}
              {choices}
              {disabled}
              {oninput}
              {onchange}
            />
            {#if kept(m.asset)}
              <KeptMix
                {open}
                id={m.asset}
                {disabled}
                onapart={(entries) => onchange(takenApart(mix, m.asset, entries))}
              />
            {/if}
          </div>
        {/if}
      </li>
    {/each}
  </ul>
  {#if keepable && !disabled}
    {#if keeping}
      <form
        class="mt-1.5 flex items-center gap-1.5"
        onsubmit={(e) => {
          e.preventDefault();
          void keep();
        }}
      >
        <Input
          size="sm"
          class="flex-1"
          maxlength={60}
          placeholder="its name"
          aria-label="name of the mix"
          bind:value={name}
        />
        <Button color="primary" size="xs" type="submit" disabled={!name.trim()}>Keep</Button>
        <Button color="alternative" size="xs" onclick={() => (keeping = false)}>Cancel</Button>
      </form>
    {:else}
      <Button
        color="alternative"
        size="xs"
        class="mt-1.5"
        title="Under a name, so that other layers can place it, too"
        onclick={() => (keeping = true)}>Keep as a mix…</Button
      >
    {/if}
  {/if}
</section>
