<script lang="ts">
  /** Trials side by side: true pictures from where the camera is, each with its value, count and weight. One is kept, or none. */
  import { Button, Spinner } from 'flowbite-svelte';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import { differing, type Trials } from '../state/trials.svelte';

  let { open, trials }: { open: SceneStore; trials: Trials } = $props();
  const layer = $derived(open.layer(trials.layer));
  const now = $derived(trials.cards.find((c) => c.trial.now)?.trial.weight?.triangles ?? 0);

  function keep(at: number) {
    const card = trials.cards[at];
    if (!card || card.failure) return;
    const id = trials.layer;
    open.endTrials(); // with it goes what is tried
    if (!card.trial.now) void open.edit({ op: 'layer', id, parameters: card.trial.parameters });
  }
</script>

<svelte:window
  onkeydowncapture={(e) => {
    if (e.key !== 'Escape') return;
    e.stopPropagation();
    open.endTrials();
  }}
/>

<section class="flex min-h-(--strip-tall) flex-col px-4 pt-2 pb-3" aria-label="trials">
  <div class="mb-2 flex items-center gap-3">
    <h2 class="text-[15px]">Try {trials.title.toLowerCase() || '…'}</h2>
    <span class="flex-1 text-[12.5px] text-soft" role="status">
      {trials.failure
        ? `It could not be tried: ${trials.failure}.`
        : trials.busy
          ? `taking pictures of ${layer?.name ?? ''} from where you are…`
          : 'same seed, same viewpoint · point to see one in the view, click to keep it'}
    </span>
    {#each [3, 5] as const as n (n)}
      <Button
        size="xs"
        color={trials.count === n ? 'primary' : 'alternative'}
        aria-pressed={trials.count === n}
        onclick={() => trials.count !== n && open.try(trials.path, n)}>{n === 3 ? 'Three' : 'Five'}</Button
      >
    {/each}
    <Button size="xs" color="alternative" onclick={() => open.endTrials()}>Keep none</Button>
  </div>
  <ul class="flex gap-2.5 overflow-x-auto p-0.5">
    {#each trials.cards as card, k (k)}
      <li class="min-w-0 flex-1 basis-0">
        <button
          class="flex w-full gap-2 overflow-hidden rounded-[5px] border bg-leaf p-1.5 text-left disabled:opacity-70 {trials.looked ===
          k
            ? 'border-moss ring-2 ring-moss'
            : card.trial.now
              ? 'border-moss'
              : 'border-line hover:border-moss'}"
          aria-label="keep {card.text}"
          data-trial={card.text}
          disabled={Boolean(card.failure)}
          onpointerenter={() => (trials.looked = k)}
          onpointerleave={() => (trials.looked = -1)}
          onfocus={() => (trials.looked = k)}
          onblur={() => (trials.looked = -1)}
          onclick={() => keep(k)}
        >
          <span class="flex aspect-[16/10] w-[58%] shrink-0 items-center justify-center rounded-[3px] bg-paper">
            {#if card.picture}<img src={card.picture} alt="" class="size-full rounded-[3px] object-cover" />
            {:else if !card.failure}<Spinner size="5" />{/if}
          </span>
          <span class="min-w-0 text-[12.5px] leading-snug">
            <b class="block">{card.text}</b>
            {#if card.failure}<span class="block text-[11.5px] text-clay">{card.failure}</span>
            {:else}
              {#if card.trial.placements !== null}<span class="block tabular-nums"
                  >{card.trial.placements?.toLocaleString('en')} placed</span
                >{/if}
              <span class="block text-soft"
                >{card.trial.now ? 'as it is now' : differing(card.trial.weight?.triangles ?? 0, now)}</span
              >
            {/if}
          </span>
        </button>
      </li>
    {/each}
  </ul>
</section>
