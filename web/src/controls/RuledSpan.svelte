<script lang="ts">
  /** A ruler with two markers, for a range. */
  import Titled from './Titled.svelte';
  import { Input } from 'flowbite-svelte';
  import type { Row } from '../api/client';
  import { same, shown, sum } from '../state/values';
  import { RulerDrag, stride, tidied, wayOf } from './ruler';

  type Pair = [number, number];
  let {
    row,
    value,
    label = row.title,
    disabled = false,
    oninput,
    onchange,
  }: {
    row: Row;
    value: Pair;
    label?: string;
    disabled?: boolean;
    oninput?: (value: Pair) => void;
    onchange: (value: Pair) => void;
  } = $props();

  const [low, high] = $derived([row.low ?? 0, row.high ?? 1]);
  const [from, to] = $derived(row.soft ?? [low, high]);
  const step = $derived(row.step ?? 0.01);
  const scale = $derived({ low, high, from, to, step });
  const way = new RulerDrag();
  let live = $state<Pair | null>(null);
  let origin: Pair = [0, 0]; // when the change began
  let held = $state(0);
  let wrong = $state('');
  let track: HTMLElement;
  const now = $derived(live ?? value);
  const at = (v: number) => Math.min(1, Math.max(0, (v - from) / (to - from))) * 100;
  const differs = $derived(!same(now, row.default));

  function move(end: number, v: number) {
    const next: Pair = [...now];
    next[end] = tidied(v, scale);
    if (end === 0) next[0] = Math.min(next[0], next[1]);
    else next[1] = Math.max(next[0], next[1]);
    if (same(next, now)) return;
    if (live === null) origin = value;
    live = next;
    oninput?.(next);
  }

  function settle() {
    if (live === null) return;
    const last = live;
    live = null;
    if (!same(last, origin)) onchange(last);
  }

  function place(event: PointerEvent, first = false) {
    const box = track.getBoundingClientRect();
    const x = event.clientX - box.left;
    if (first) {
      const v = from + (x / box.width) * (to - from);
      held = Math.abs(v - now[0]) <= Math.abs(v - now[1]) && !(now[0] === now[1] && v > now[0]) ? 0 : 1;
      way.begin();
    }
    const v = way.at(x, box.width, event.shiftKey, now[held] ?? 0, scale);
    // a marker at the end of the ruler stands for the limit
    move(held, v <= from ? (held === 0 ? low : from) : v >= to ? (held === 1 ? high : to) : v);
  }

  let timer = 0;
  function key(event: KeyboardEvent, end: number) {
    const sign = wayOf(event.key);
    if (!sign || disabled) return;
    event.preventDefault();
    event.stopPropagation();
    move(end, (now[end] ?? 0) + sign * stride(event, scale));
    clearTimeout(timer);
    timer = window.setTimeout(settle, 350);
  }

  /** The value of one end; a limit beyond the ruler bars nothing. */
  function told(end: number): string {
    const v = now[end] ?? 0;
    return (end === 0 && v <= low && from > low) || (end === 1 && v >= high && to < high) ? 'any' : shown(v, step);
  }

  function take(end: number, text: string) {
    const parsed = text.trim() === 'any' ? (end ? high : low) : sum(text.replace(row.unit, '').trim());
    if (parsed === null || parsed < low || parsed > high) {
      wrong = `${label}: ${low} to ${high} ${row.unit}`;
      return;
    }
    const next: Pair = [...value];
    next[end] = parsed;
    if (next[0] > next[1]) {
      wrong = `${label}: the first value must not exceed the second`;
      return;
    }
    wrong = '';
    if (!same(next, value)) onchange(next);
  }
</script>

<div class="grid grid-cols-[108px_1fr_104px] items-center gap-x-2.5 py-[3px]" data-field={row.path}>
  <span class="leading-tight">
    <Titled path={row.path} {label} help={row.help} />{#if differs}<span
        class="ml-1 inline-block size-1.5 rounded-full bg-moss align-middle"
      ></span>{/if}
  </span>
  <!-- svelte-ignore a11y_no_static_element_interactions -->
  <div
    bind:this={track}
    class="relative mr-3.5 h-6 touch-none {disabled ? 'opacity-50' : 'cursor-ew-resize'}"
    onpointerdown={(e) => {
      if (disabled || e.button !== 0) return;
      track.setPointerCapture(e.pointerId);
      place(e, true);
    }}
    onpointermove={(e) => track.hasPointerCapture(e.pointerId) && place(e)}
    onpointerup={settle}
    onlostpointercapture={settle}
    ondblclick={() => !disabled && onchange(row.default as Pair)}
  >
    <div class="ticks"></div>
    <div class="filled" style:left="{at(now[0])}%" style:width="{at(now[1]) - at(now[0])}%"></div>
    {#each [0, 1] as end (end)}
      <div
        role="slider"
        tabindex={disabled ? -1 : 0}
        aria-label="{label}, {end ? 'most' : 'least'}"
        aria-valuemin={low}
        aria-valuemax={high}
        aria-valuenow={now[end]}
        class="mark {end ? '' : 'least'}"
        style:left="{at(now[end] ?? 0)}%"
        onkeydown={(e) => key(e, end)}
        onblur={settle}
      >
        <svg width="10" height="13" viewBox="0 0 10 13" aria-hidden="true"
          ><path d={end ? 'M0 0h4l6 6v7H0z' : 'M10 0H6L0 6v7h10z'} fill="var(--moss)" /></svg
        >
      </div>
    {/each}
  </div>
  <div class="flex items-center gap-1">
    {#each [0, 1] as end (end)}
      {#if end}<span class="text-soft">–</span>{/if}
      <Input
        class="w-full min-w-0 px-1 text-center tabular-nums {wrong ? 'border-clay!' : ''}"
        aria-label="{label}, {end ? 'most' : 'least'}, value"
        {disabled}
        value={told(end)}
        onfocus={(e) => (e.target as HTMLInputElement).select()}
        onchange={(e) => take(end, (e.target as HTMLInputElement).value)}
        onkeydown={(e) => e.key === 'Enter' && (e.target as HTMLInputElement).blur()}
      />
    {/each}
  </div>
  {#if wrong}<p class="col-span-3 text-[11.5px] text-clay" role="alert">{wrong}</p>{/if}
</div>

<style>
  .ticks {
    position: absolute;
    inset: 10px 0 6px;
    border-bottom: 1px solid var(--edge);
    background: repeating-linear-gradient(to right, var(--line) 0 1px, transparent 1px 10%);
    border-right: 1px solid var(--line);
  }
  .filled {
    position: absolute;
    bottom: 5px;
    height: 3px;
    background: var(--moss);
  }
  /* each marker lies on its own side of its value, so that both can be taken where they meet */
  .mark {
    position: absolute;
    bottom: 0;
    display: flex;
    width: 24px;
    height: 24px;
    align-items: flex-end;
    padding-bottom: 3px;
  }
  .mark.least {
    justify-content: flex-end;
    margin-left: -24px;
  }
</style>
