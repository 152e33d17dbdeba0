<script lang="ts">
  /** Recipes to begin with, as pictures. */
  import { Modal } from 'flowbite-svelte';
  import { api, said, take, type Preset } from '../api/client';
  import { app } from '../state/app.svelte';

  let {
    open = $bindable(),
    kind = '',
    title,
    onchoose,
  }: { open: boolean; kind?: string; title: string; onchoose: (preset: Preset) => void } = $props();
  let presets = $state.raw<Preset[]>([]);
  let failure = $state('');
  let shown = $state('');
  const kinds = $derived(app.assets.filter((k) => presets.some((p) => p.kind === k.name)));
  const chosen = $derived(presets.filter((p) => p.kind === (kind || shown || 'tree')));

  async function load() {
    failure = '';
    try {
      presets = await take<Preset[]>(api.GET('/api/bench/presets'));
    } catch (error) {
      failure = said(error);
    }
  }
  $effect(() => {
    if (open && !presets.length) void load();
  });
</script>

<Modal {title} bind:open size="xl" class="max-w-[1120px]! bg-leaf text-ink">
  {#if failure}
    <p class="text-clay" role="alert">
      The presets could not be read: {failure}. <button class="btn" onclick={load}>Try again</button>
    </p>
  {/if}
  {#if !kind}
    <div class="flex flex-wrap gap-1.5" role="group" aria-label="kind">
      {#each kinds as k (k.name)}
        <button
          class="rounded-full border px-3 py-1 text-[12.5px] {(shown || 'tree') === k.name
            ? 'border-moss bg-moss text-on-moss'
            : 'border-line bg-plate'}"
          aria-pressed={(shown || 'tree') === k.name}
          onclick={() => (shown = k.name)}>{k.title}</button
        >
      {/each}
    </div>
  {/if}
  <div class="grid max-h-[60vh] grid-cols-5 gap-2.5 overflow-y-auto pr-1">
    {#each chosen as p (p.name)}
      <button
        class="overflow-hidden rounded-[5px] border border-line bg-plate text-left hover:border-moss"
        aria-label="begin with {p.title}"
        onclick={() => {
          open = false;
          onchoose(p);
        }}
      >
        <img src={p.picture} alt="" loading="lazy" class="aspect-[10/9] w-full portrait" />
        <span class="block px-2 py-1.5 font-serif text-[12.5px] leading-tight font-semibold">{p.title}</span>
      </button>
    {/each}
  </div>
</Modal>
