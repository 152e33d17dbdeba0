<script lang="ts">
  /** What is wrong in the scene, by kind: flown to, mended, or left as it is. */
  import { Button, CloseButton, Spinner, ToolbarButton } from 'flowbite-svelte';
  import Wrench from '@lucide/svelte/icons/wrench';
  import type { Finding } from '../api/client';
  import type { SceneStore } from '../state/sceneStore.svelte';

  let { open, onfly }: { open: SceneStore; onfly: (f: Finding) => void } = $props();
  const trouble = $derived(open.trouble);
  const count = $derived(trouble.found?.count ?? 0);
  const left = $derived(trouble.found?.left ?? 0);
  const edits = $derived(open.canEdit);
</script>

<section
  class="absolute top-24 right-3.5 bottom-14 z-10 flex w-[330px] max-w-[calc(100%-28px)] flex-col rounded-md border border-line bg-leaf shadow-lg"
  aria-label="trouble"
>
  <div class="flex items-baseline justify-between border-b border-line px-3.5 pt-2.5 pb-2">
    <h2 class="text-[16px]">Trouble</h2>
    <span class="flex items-center gap-2 text-[12px] text-soft" role="status">
      {#if trouble.busy}<Spinner size="4" /> looking…{:else if count}{count.toLocaleString('en')} found{/if}
      <CloseButton class="-mr-2 p-1" size="sm" aria-label="close trouble" onclick={() => (trouble.shown = false)} />
    </span>
  </div>
  <div class="min-h-0 flex-1 overflow-y-auto px-3.5 pb-3">
    {#if trouble.failure}
      <p class="mt-3 text-clay" role="alert">It could not be looked for: {trouble.failure}.</p>
      <Button color="alternative" size="xs" class="mt-2" onclick={() => trouble.look(-1)}>Try again</Button>
    {:else if !count && trouble.found}
      <p class="mt-4 font-serif text-[15px]">Nothing is wrong.</p>
      <p class="mt-1 text-[12.5px] text-soft">
        After every edit it is looked for what floats, lies buried, stands into others, beyond the ground or in a path,
        for missing assets, and for what is too heavy.
      </p>
    {/if}
    {#each trouble.groups as group (group.code)}
      {@const mendable = group.findings.filter((f) => f.mend)}
      <div class="rule mt-2.5 flex items-center justify-between pt-2 first:mt-0 first:border-0">
        <h3 class="font-serif text-[13.5px] font-semibold">
          {group.title}
          <span class="font-sans text-[12px] font-normal text-clay">{group.count.toLocaleString('en')}</span>
        </h3>
        {#if edits && mendable.length > 1}
          <Button color="alternative" size="xs" disabled={trouble.mending} onclick={() => trouble.mend(group.findings)}
            >Mend {mendable.length}</Button
          >
        {/if}
      </div>
      <ul>
        {#each group.findings as f (f.id)}
          {@const on = trouble.at === f.id}
          <li class="group flex items-start gap-1 rounded {on ? 'bg-moss-tint' : ''}" data-finding={f.code}>
            <button
              class="flex-1 rounded px-1.5 py-1 text-left text-[12.5px] leading-snug hover:bg-moss-tint"
              aria-current={on}
              onclick={() => onfly(f)}
              >{f.text}{#if open.layer(f.layer)}<span class="block text-[11.5px] text-soft"
                  >{open.layer(f.layer)?.name}</span
                >{/if}</button
            >
            {#if edits && f.mend}<ToolbarButton
                class="mt-0.5 text-moss {on ? '' : 'opacity-0 group-focus-within:opacity-100 group-hover:opacity-100'}"
                aria-label="{f.mend}: {f.text}"
                title={f.mend}
                disabled={trouble.mending}
                onclick={() => trouble.mend([f])}><Wrench size={15} /></ToolbarButton
              >{/if}
          </li>
        {/each}
      </ul>
      {#if group.count > group.findings.length}<p class="px-1.5 text-[11.5px] text-soft">
          and {(group.count - group.findings.length).toLocaleString('en')} more like these
        </p>{/if}
    {/each}
  </div>
  <div class="flex items-center justify-between gap-2 border-t border-line px-3.5 py-2 text-[12px] text-soft">
    <span><b class="text-ink">N</b> next · <b class="text-ink">Shift N</b> before</span>
    {#if left}<span class="flex items-center gap-1.5"
        >{left} left as {left === 1 ? 'it is' : 'they are'}
        {#if edits}<Button color="alternative" size="xs" onclick={() => trouble.recall()}>Look again</Button>{/if}</span
      >{/if}
  </div>
</section>
