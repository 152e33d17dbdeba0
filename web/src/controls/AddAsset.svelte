<script lang="ts">
  /** Chooses one more asset, and adds it. */
  import { Button, Select } from 'flowbite-svelte';

  let {
    label,
    choices,
    onadd,
  }: { label: string; choices: { id: string; name: string }[]; onadd: (asset: string) => void } = $props();
  let fresh = $state('');

  function add() {
    onadd(fresh);
    fresh = '';
  }
</script>

<div class="mt-2 flex items-center gap-2">
  <Select
    size="sm"
    class="min-w-0 flex-1 py-1 text-[12.5px]"
    aria-label={label}
    placeholder="another asset…"
    items={choices.map((c) => ({ value: c.id, name: c.name }))}
    bind:value={fresh}
  />
  <Button color="alternative" size="xs" disabled={!fresh} onclick={add}>Add</Button>
</div>
