<script lang="ts">
  /** How far the parts of a bake are: tiles on a map, all others counted; what took long, and who made it. */
  import { untrack } from 'svelte';
  import { api, take } from '../api/client';
  import { groupsOf, slowest, squaresOf, withFresh, type BakePart } from '../state/parts';

  let {
    scene,
    release,
    done,
    fresh = [],
    ended = false,
  }: {
    scene: string;
    release: number;
    /** Parts that are there. */
    done: number;
    /** Ordinals of those that have just come to be there. */
    fresh?: number[];
    ended?: boolean;
  } = $props();
  let parts = $state.raw<BakePart[]>([]);
  let failed = $state(false);
  let asking = false;
  const groups = $derived(groupsOf(parts));
  const map = $derived(squaresOf(parts));
  const longest = $derived(slowest(parts, 8));
  const before = $derived(parts.filter((p) => p.state === 'there').length);
  const seconds = (s: number) => (s < 10 ? s.toFixed(2) : s.toFixed(0));

  async function ask() {
    if (asking) return;
    asking = true;
    try {
      parts = await take<BakePart[]>(
        api.GET('/api/scenes/{scene_id}/releases/{number}/parts', {
          params: { path: { scene_id: scene, number: release } },
        }),
      );
      failed = false;
    } catch {
      failed = true;
    } finally {
      asking = false;
    }
  }

  $effect(() => {
    const told = [done, fresh, release] as const;
    untrack(() => {
      const next = parts.length && !ended ? withFresh(parts, told[1], told[0]) : null;
      if (next) parts = next;
      else void ask();
    });
  });
</script>

{#if failed}<p class="text-[12px] text-clay">How far its parts are could not be read.</p>{/if}
{#if map.squares.length > 1}
  <figure class="my-2" aria-label="tiles of the bake">
    <svg
      viewBox="0 0 {map.side} {map.side}"
      class="mx-auto block max-h-40 w-full rounded bg-paper"
      role="img"
      aria-label="tiles that are there, north up"
    >
      {#each map.squares as s (s.part.name)}
        <rect
          x={s.column + 0.04}
          y={s.row + 0.04}
          width="0.92"
          height="0.92"
          rx="0.08"
          data-tile={s.part.state}
          fill={s.part.state === 'made' ? 'var(--moss)' : 'var(--line)'}
          opacity={s.part.state === 'waiting' ? 0.5 : 1}
          ><title>{s.part.name}: {s.part.state === 'there' ? 'as before' : s.part.state}</title></rect
        >
        {#if s.part.state === 'there'}
          <circle cx={s.column + 0.5} cy={s.row + 0.5} r="0.16" fill="var(--moss)" />
        {/if}
      {/each}
    </svg>
    <figcaption class="mt-1 text-[12px] text-soft">Filled tiles were made, dotted ones are as before.</figcaption>
  </figure>
{/if}
{#if groups.length}
  <table class="w-full text-[12px] tabular-nums" aria-label="parts of the bake">
    <tbody>
      {#each groups as g (g.name)}
        <tr class="align-top"
          ><td
            >{g.name}{#if g.waits && g.ready === 0 && !ended}<span class="block text-soft">after {g.waits}</span
              >{/if}</td
          ><td class="text-right whitespace-nowrap">{g.ready} of {g.all}</td></tr
        >
      {/each}
    </tbody>
  </table>
{/if}
{#if ended && parts.length}
  <p class="mt-1 text-[12px] text-soft">
    {before ? `${before} of ${parts.length} parts were there before.` : 'All parts were made for it.'}
  </p>
{/if}
{#if longest.length}
  <h3 class="mt-2 text-[12.5px]">What took longest</h3>
  <table class="w-full text-[12px] tabular-nums" aria-label="what took longest">
    <tbody>
      {#each longest as p (p.name)}<tr
          ><td class="max-w-0 truncate" title="{p.name}, by {p.place}">{p.name}</td><td
            class="w-16 text-right whitespace-nowrap">{seconds(p.seconds)} s</td
          ></tr
        >{/each}
    </tbody>
  </table>
{/if}
