<script lang="ts">
  /** Notes for the game: keys and values that are written to nodes and the table. */
  import { Button, Input, ToolbarButton } from 'flowbite-svelte';
  import Plus from '@lucide/svelte/icons/plus';
  import X from '@lucide/svelte/icons/x';
  import type { Notes } from '../state/editQueue';

  let {
    notes,
    of,
    disabled,
    onchange,
  }: { notes: Notes; of: string; disabled: boolean; onchange: (notes: Notes) => void } = $props();
  const MOST = 24;
  const FITS = /^[A-Za-z_][A-Za-z0-9_.:-]{0,39}$/;
  let adding = $state(false);
  let key = $state('');
  let value = $state('');
  let failure = $state('');
  const entries = $derived(Object.entries(notes).sort(([a], [b]) => a.localeCompare(b)));

  function add() {
    const name = key.trim();
    if (!FITS.test(name)) {
      failure = 'a key begins with a letter and has at most 40 letters, digits or . : _ -';
      return;
    }
    failure = '';
    onchange({ ...notes, [name]: value.trim().slice(0, 200) });
    adding = false;
    key = value = '';
  }
  const without = (name: string) => Object.fromEntries(Object.entries(notes).filter(([k]) => k !== name));
</script>

<section class="rule mt-3 pt-2" aria-label="notes for the game on {of}">
  <div class="mb-1 flex items-baseline justify-between">
    <h2 class="text-[14px]">Notes for the game</h2>
    <span class="text-[12px] text-soft">{entries.length || adding ? 'into nodes and the table' : ''}</span>
  </div>
  {#each entries as [name, text] (name)}
    <label class="grid grid-cols-[108px_1fr_28px] items-center gap-2 py-[3px]">
      <span class="truncate" title={name}>{name}</span>
      <Input
        class="min-w-0 px-2 py-1"
        maxlength={200}
        {disabled}
        aria-label="value of {name}"
        value={text}
        onchange={(e) => onchange({ ...notes, [name]: (e.target as HTMLInputElement).value.trim() })}
      />
      {#if !disabled}
        <ToolbarButton
          class="hover:text-clay"
          aria-label="remove the note {name}"
          onclick={() => onchange(without(name))}><X size={16} /></ToolbarButton
        >
      {/if}
    </label>
  {/each}
  {#if adding}
    <form
      class="grid grid-cols-[108px_1fr_auto] items-center gap-2 py-[3px]"
      onsubmit={(e) => {
        e.preventDefault();
        add();
      }}
    >
      <Input class="min-w-0 px-2 py-1" maxlength={40} placeholder="key" aria-label="key of the note" bind:value={key} />
      <Input class="min-w-0 px-2 py-1" maxlength={200} placeholder="value" aria-label="value of the note" bind:value />
      <Button type="submit" color="primary" class="px-2.5 py-1">Note</Button>
    </form>
    {#if failure}<p class="text-[12px] text-clay" role="alert">{failure}</p>{/if}
  {:else if !disabled && entries.length < MOST}
    <Button color="alternative" class="mt-1" onclick={() => (adding = true)}><Plus size={14} /> New note</Button>
  {/if}
</section>
