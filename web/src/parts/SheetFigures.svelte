<script lang="ts">
  /** How near an asset comes that is written with maps of its own: made when asked for, as it takes seconds. */
  import { Button, Spinner } from 'flowbite-svelte';
  import { untrack } from 'svelte';
  import { said, type SheetFacts } from '../api/client';
  import { sheetOf } from '../state/sheet';
  import type { BenchState } from '../state/bench.svelte';

  let { bench }: { bench: BenchState } = $props();
  let found = $state.raw<SheetFacts[] | null>(null);
  let failure = $state('');
  let run = $state.raw<AbortController | null>(null);

  // what was measured is of other parameters than these
  $effect(() => {
    void bench.made;
    untrack(forget);
    return forget;
  });

  function forget() {
    run?.abort();
    [found, run, failure] = [null, null, ''];
  }

  async function measure() {
    const own = (run = new AbortController());
    failure = '';
    try {
      const all = await sheetOf(bench, own.signal);
      if (run === own) found = all;
    } catch (error) {
      if (run === own) failure = said(error);
    }
    if (run === own) run = null;
  }

  const degrees = (v: number) => `${v.toFixed(1)}°`;
</script>

<div
  class="w-[300px] rounded-md border border-line bg-leaf/95 px-2.5 py-1.5 text-[12px]"
  aria-label="maps of its own"
  role="group"
>
  <div class="flex items-center justify-between gap-2">
    <span class="font-serif text-[12.5px] font-semibold">Maps of its own</span>
    {#if run}
      <span class="flex items-center gap-1.5 text-soft" role="status"><Spinner size="4" />Drawing them…</span>
      <Button size="xs" color="alternative" onclick={forget}>Stop</Button>
    {:else}
      <Button size="xs" color="alternative" onclick={measure}>{found ? 'Again' : 'Draw and compare'}</Button>
    {/if}
  </div>
  {#if failure}<p class="mt-1 text-clay" role="alert">{failure}</p>{/if}
  {#if found}
    <table class="mt-1 w-full text-left tabular-nums" data-sheet>
      <thead class="text-soft">
        <tr
          ><th class="font-normal">Level</th><th class="px-2 text-right font-normal">Normals off</th><th
            class="text-right font-normal">without</th
          ></tr
        >
      </thead>
      <tbody>
        {#each found as level (level.level)}
          <tr
            title="{(100 * level.missed).toPrecision(2)} % of its texels met nothing; {(1000 * level.off).toPrecision(
              2,
            )} mm between the surfaces"
          >
            <td>{level.texels} a side, {level.triangles.toLocaleString('en')} tri</td>
            <td class="px-2 text-right">{degrees(level.turned)}</td>
            <td class="text-right text-soft">{degrees(level.plain)}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    <p class="mt-1 text-[11px] text-soft">
      The mean angle between its normals and those of what was grown, over eight views.
    </p>
  {/if}
</div>
