<script lang="ts">
  /** Several things of the scene, by name; a missing one is struck through. */
  import { Input } from 'flowbite-svelte';
  import Check from '@lucide/svelte/icons/check';
  import X from '@lucide/svelte/icons/x';
  import Stamp from '../parts/Stamp.svelte';

  export interface Choice {
    id: string;
    name: string;
    stamp: string;
  }
  let {
    choices,
    chosen,
    weights,
    empty,
    disabled = false,
    onchange,
  }: {
    choices: Choice[];
    chosen: string[];
    weights?: Record<string, number>;
    empty: string;
    disabled?: boolean;
    onchange: (ids: string[], weights: Record<string, number>) => void;
  } = $props();

  const missing = $derived(chosen.filter((id) => !choices.some((c) => c.id === id)));
  const given = $derived(weights ?? {});

  function flip(id: string) {
    const next = chosen.includes(id) ? chosen.filter((x) => x !== id) : [...chosen, id];
    onchange(next, { ...given, [id]: given[id] ?? 1 });
  }
</script>

<span class="flex flex-col gap-0.5">
  {#if !choices.length && !missing.length}<span class="text-soft">{empty}</span>{/if}
  {#each choices as c (c.id)}
    {@const on = chosen.includes(c.id)}
    <span class="flex items-center gap-2 rounded px-1 py-0.5 {on ? 'bg-moss-tint' : 'hover:bg-paper'}">
      <button
        class="flex min-w-0 flex-1 items-center gap-2 text-left"
        aria-pressed={on}
        {disabled}
        onclick={() => flip(c.id)}
      >
        <Stamp kind={c.stamp} size={26} />
        <span class="flex-1 truncate">{c.name}</span>
        {#if on && !weights}<Check size={15} />{/if}
      </button>
      {#if on && weights}
        <Input
          class="w-14! text-right"
          type="number"
          min="0.1"
          max="1000"
          step="0.5"
          aria-label="weight of {c.name}"
          title="weight in the mix"
          {disabled}
          value={given[c.id] ?? 1}
          onchange={(e) => {
            const n = Number((e.target as HTMLInputElement).value);
            if (n > 0 && n <= 1000) onchange(chosen, { ...given, [c.id]: n });
          }}
        />
      {/if}
    </span>
  {/each}
  {#each missing as id (id)}
    <button class="flex items-center gap-2 px-1 py-0.5 text-left text-clay" {disabled} onclick={() => flip(id)}>
      <X size={15} /><span class="line-through">{id}</span><span class="text-[11.5px]"
        >is missing; click to leave it out, or choose another</span
      >
    </button>
  {/each}
</span>
