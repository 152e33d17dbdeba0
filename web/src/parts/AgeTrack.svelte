<script lang="ts">
  /** The age of a plant as a track from sapling to veteran, which can be played. */
  import { Button, Range } from 'flowbite-svelte';
  import Pause from '@lucide/svelte/icons/pause';
  import Play from '@lucide/svelte/icons/play';
  import type { BenchState } from '../state/bench.svelte';

  let {
    bench,
    disabled,
    oninput,
    onchange,
  }: {
    bench: BenchState;
    disabled: boolean;
    oninput: (path: string, value: unknown) => void;
    onchange: (path: string, value: unknown) => void;
  } = $props();
  const LOW = 0.05;
  const HIGH = 1.6;
  let before = 1; // the age when a drag began
  let dragging = $state(false);
  const age = $derived(Number(bench.parameters.age ?? 1));
  const word = $derived(age < 0.3 ? 'sapling' : age < 0.75 ? 'young' : age < 1.15 ? 'grown' : 'veteran');

  async function play() {
    if (bench.playing) {
      bench.playing = false;
      return;
    }
    const kept = age;
    bench.playing = true;
    const steps = 36;
    for (let k = 0; k <= steps && bench.playing; k++) {
      bench.draft({ age: LOW + ((kept - LOW) * k) / steps });
      await bench.settled();
      await new Promise((wake) => setTimeout(wake, 40));
    }
    bench.playing = false;
    bench.draft({ age: kept });
  }
</script>

<div class="flex min-w-0 flex-1 items-center gap-2.5 rounded-full border border-line bg-leaf/95 py-1 pr-4 pl-1.5">
  <Button
    color="primary"
    pill
    class="size-7 min-h-0 shrink-0 p-0"
    aria-label={bench.playing ? 'stop the growth' : 'play the growth'}
    onclick={play}
    >{#if bench.playing}<Pause size={14} />{:else}<Play size={14} />{/if}</Button
  >
  <span class="w-[52px] shrink-0 font-serif text-[12.5px] font-semibold">{word}</span>
  <Range
    size="sm"
    class="min-w-0 flex-1"
    min={LOW}
    max={HIGH}
    step="0.01"
    aria-label="age"
    disabled={disabled || bench.playing}
    value={age}
    onpointerdown={() => {
      before = age;
      dragging = true;
    }}
    oninput={(e) => oninput('age', Number((e.target as HTMLInputElement).value))}
    onchange={(e) => {
      const v = Number((e.target as HTMLInputElement).value);
      if (!dragging || v !== before) onchange('age', v);
      dragging = false;
    }}
  />
  <span class="w-8 shrink-0 text-right text-[12px] tabular-nums">{age.toFixed(2)}</span>
</div>
