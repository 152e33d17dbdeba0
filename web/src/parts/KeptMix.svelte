<script lang="ts">
  /** What a kept mix holds: its name and weights, changed here for all layers that place it. */
  import { Button, Input } from 'flowbite-svelte';
  import { chosenOf, namedMix, type MixEntry } from '../state/mix';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import Picker from '../controls/Picker.svelte';

  let {
    open,
    id,
    disabled,
    onapart,
  }: {
    open: SceneStore;
    id: string;
    disabled: boolean;
    onapart: (entries: MixEntry[]) => void; // what it holds, in its place
  } = $props();
  const mix = $derived(namedMix(open.scene?.settings, id));
  const others = $derived(
    (open.scene?.layers ?? []).filter((l) => ((l.parameters.mix ?? []) as MixEntry[]).some((m) => m.asset === id)),
  );
  const choices = $derived((open.scene?.assets ?? []).map((a) => ({ id: a.id, name: a.name, stamp: a.kind })));

  /** Its assets one by one in this layer; where no other places it, it need not be kept any more. */
  async function apart() {
    const entries = $state.snapshot(mix?.entries ?? []) as unknown as MixEntry[];
    const alone = others.length <= 1;
    onapart(entries);
    if (alone) await open.edit({ op: 'scene', settings: { [`mixes#${id}`]: null } });
  }

  function change(values: { name?: string; entries?: MixEntry[] }) {
    void open.edit({ op: 'scene', settings: { [`mixes#${id}`]: { ...$state.snapshot(mix), ...values } } });
  }
</script>

{#if mix}
  {@const entries = mix.entries as unknown as MixEntry[]}
  <div class="mt-2 border-t border-line pt-2" data-kept={id}>
    <label class="mb-1 grid grid-cols-[72px_1fr] items-center gap-2">
      <span>Its name</span>
      <Input
        size="sm"
        maxlength={60}
        {disabled}
        value={mix.name}
        onchange={(e) => {
          const name = e.currentTarget.value.trim();
          if (name) change({ name });
        }}
      />
    </label>
    <p class="mb-1 text-[12px] text-soft">
      {others.length > 1
        ? `Placed by ${others.length} layers; a change here is one for all of them.`
        : 'Other layers can place it, too.'}
    </p>
    <Picker
      {choices}
      chosen={entries.map((e) => e.asset)}
      weights={Object.fromEntries(entries.map((e) => [e.asset, e.weight]))}
      empty="There is no asset yet."
      {disabled}
      onchange={(ids, weights) => ids.length && change({ entries: chosenOf(entries, ids, weights) })}
    />
    {#if !disabled}
      <Button
        color="alternative"
        size="xs"
        class="mt-1"
        title={others.length > 1
          ? 'This layer gets its assets one by one; the mix stays for others'
          : 'This layer gets its assets one by one; no other places the mix'}
        onclick={apart}>{others.length > 1 ? 'Take it apart here' : 'Take it apart and forget it'}</Button
      >
    {/if}
  </div>
{/if}
