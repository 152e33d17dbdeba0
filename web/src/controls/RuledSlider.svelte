<script lang="ts">
  /** A ruler with a marker and a typed value with its unit. */
  import { Input } from 'flowbite-svelte';
  import type { Row } from '../api/client';
  import { shown, sum } from '../state/values';
  import Titled from './Titled.svelte';
  import { RulerDrag, stride, tidied, wayOf } from './ruler';

  let {
    row,
    value,
    label = row.title,
    disabled = false,
    oninput,
    onchange,
  }: {
    row: Row;
    value: number;
    label?: string;
    disabled?: boolean;
    oninput?: (value: number) => void;
    onchange: (value: number) => void;
  } = $props();

  const [low, high] = $derived([row.low ?? 0, row.high ?? 1]);
  const [from, to] = $derived(row.soft ?? [low, high]);
  const step = $derived(row.step ?? 0.01);
  const scale = $derived({ low, high, from, to, step });
  const way = new RulerDrag();
  let live = $state<number | null>(null);
  let origin = 0; // the value when the change began; what is shown meanwhile may follow the draft
  let typed = $state<string | null>(null);
  let wrong = $state('');
  let track: HTMLElement;
  const now = $derived(live ?? value);
  const share = $derived(Math.min(1, Math.max(0, (now - from) / (to - from))));
  const differs = $derived(Math.abs(now - Number(row.default)) > step * 0.01);

  function move(v: number) {
    const next = tidied(v, scale);
    if (next === now) return;
    if (live === null) origin = value;
    live = next;
    oninput?.(next);
  }

  function settle() {
    if (live === null) return;
    const last = live;
    live = null;
    if (last !== origin) onchange(last);
  }

  function drag(event: PointerEvent) {
    if (disabled || event.button !== 0) return;
    track.focus();
    track.setPointerCapture(event.pointerId);
    way.begin();
    place(event);
  }

  function place(event: PointerEvent) {
    const box = track.getBoundingClientRect();
    const x = Math.min(box.width, Math.max(0, event.clientX - box.left));
    move(way.at(x, box.width, event.shiftKey, now, scale));
  }

  let wheelTimer = 0;
  function later() {
    clearTimeout(wheelTimer);
    wheelTimer = window.setTimeout(settle, 350);
  }

  function key(event: KeyboardEvent) {
    if (disabled) return;
    const sign = wayOf(event.key);
    if (sign) move(now + sign * stride(event, scale));
    else if (event.key === 'Home') move(from);
    else if (event.key === 'End') move(to);
    else if (event.key === 'Backspace' || event.key === 'Delete') move(Number(row.default));
    else return;
    event.preventDefault();
    event.stopPropagation();
    later();
  }

  function wheel(event: WheelEvent) {
    if (disabled || document.activeElement !== track) return;
    event.preventDefault();
    move(now - Math.sign(event.deltaY || event.deltaX) * stride(event, scale));
    later();
  }

  function take() {
    if (typed === null) return;
    const text = typed.replace(row.unit, '').trim();
    const parsed = sum(text);
    typed = null;
    if (parsed === null) {
      wrong = `${label}: “${text}” is not a number`;
    } else if (parsed < low || parsed > high) {
      wrong = `${label}: ${low} to ${high} ${row.unit}`;
    } else {
      wrong = '';
      const next = row.control === 'count' ? Math.round(parsed) : parsed;
      if (next !== value) onchange(next);
    }
  }
</script>

<div
  class="grid {shown(now, step).length > 8
    ? 'grid-cols-[108px_1fr_96px]'
    : 'grid-cols-[108px_1fr_76px]'} items-center gap-x-2.5 py-[3px]"
  data-field={row.path}
>
  <span class="relative leading-tight">
    <Titled path={row.path} {label} help={row.help} />{#if differs}<span
        class="ml-1 inline-block size-1.5 rounded-full bg-moss align-middle"
        title="differs from {shown(Number(row.default), step)}"
      ></span>{/if}
  </span>
  <div
    bind:this={track}
    role="slider"
    tabindex={disabled ? -1 : 0}
    aria-label={label}
    aria-valuemin={low}
    aria-valuemax={high}
    aria-valuenow={now}
    aria-valuetext="{shown(now, step)} {row.unit}"
    aria-disabled={disabled}
    class="ruler relative h-6 touch-none rounded-sm {disabled ? 'opacity-50' : 'cursor-ew-resize'}"
    onpointerdown={drag}
    onpointermove={(e) => track.hasPointerCapture(e.pointerId) && place(e)}
    onpointerup={settle}
    onlostpointercapture={settle}
    ondblclick={() => !disabled && onchange(Number(row.default))}
    onkeydown={key}
    onwheel={wheel}
    onblur={settle}
  >
    <div class="ticks"></div>
    <div class="filled" style:width="{share * 100}%"></div>
    <svg class="mark" style:left="{share * 100}%" width="10" height="13" viewBox="0 0 10 13" aria-hidden="true"
      ><path d="M5 0l5 5v8H0V5z" fill="var(--moss)" /></svg
    >
  </div>
  <Input
    class="w-full text-right tabular-nums {wrong ? 'border-clay!' : ''}"
    aria-label="{label}, value"
    title={wrong || undefined}
    {disabled}
    value={typed ??
      `${shown(now, step)}${row.unit.length <= 2 && row.unit ? (row.unit === '°' || row.unit === '%' ? row.unit : ` ${row.unit}`) : ''}`}
    onfocus={(e) => {
      typed = String(Number(now.toFixed(4)));
      wrong = '';
      queueMicrotask(() => (e.target as HTMLInputElement).select());
    }}
    oninput={(e) => (typed = (e.target as HTMLInputElement).value)}
    onblur={take}
    onkeydown={(e) => {
      if (e.key === 'Enter') (e.target as HTMLInputElement).blur();
      if (e.key === 'Escape') {
        typed = null;
        (e.target as HTMLInputElement).blur();
      }
    }}
  />
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
    left: 0;
    bottom: 5px;
    height: 3px;
    background: var(--moss);
  }
  .mark {
    position: absolute;
    bottom: 3px;
    margin-left: -5px;
  }
</style>
