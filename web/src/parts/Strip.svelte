<script lang="ts">
  /** The layers as packets, left to right in build order. */
  import { Modal, ToolbarButton } from 'flowbite-svelte';
  import Eye from '@lucide/svelte/icons/eye';
  import EyeOff from '@lucide/svelte/icons/eye-off';
  import type { Layer } from '../api/client';
  import { app } from '../state/app.svelte';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import { amount, fixed, kindOf, uiOf } from '../layers/registry';
  import { ago } from '../state/values';
  import BringLines from './BringLines.svelte';
  import Stamp from './Stamp.svelte';

  let { open, onadd }: { open: SceneStore; onadd: (kind: string) => void } = $props();
  let adding = $state(false);
  let chosen = ''; // the kind of layer to begin when the dialog has given the focus back
  let dragged = $state<string | null>(null);
  let over = $state<string | null>(null);
  let row: HTMLElement;
  const layers = $derived(open.scene?.layers ?? []);
  const placeOf = (l: Layer) => kindOf(l.kind)?.place ?? 'middle';
  const ordered = $derived(layers.filter((l) => placeOf(l) !== 'last'));
  const bake = $derived(layers.find((l) => placeOf(l) === 'last'));
  const last = $derived(open.releases[0]);

  const stamp = (layer: Layer) => uiOf(layer.kind).stamp?.(layer, open) ?? layer.kind;

  function line(layer: Layer): string {
    const view = open.view(layer.id);
    if (layer.hidden) return 'hidden';
    return view ? amount(view) : '…';
  }

  function weight(layer: Layer): string {
    const t = open.view(layer.id)?.weight.triangles ?? 0;
    return layer.hidden || t === 0
      ? '—'
      : t >= 1e6
        ? `${(t / 1e6).toFixed(2)} M`
        : t >= 1000
          ? `${Math.round(t / 1000)} k`
          : String(t);
  }

  function begin() {
    const kind = chosen;
    chosen = '';
    if (kind) onadd(kind);
  }

  function drop(before: string | null) {
    if (dragged && dragged !== before) {
      const order = layers.map((l) => l.id);
      if (order[order.indexOf(dragged) + 1] !== before) void open.edit({ op: 'move', id: dragged, before });
    }
    dragged = over = null;
  }

  function key(event: KeyboardEvent, layer: Layer) {
    const i = layers.findIndex((l) => l.id === layer.id);
    const way = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (!way) return;
    event.preventDefault();
    const next = layers[i + way];
    if (!next) return;
    if (event.altKey) {
      if (fixed(layer.kind) || !open.canEdit) return;
      const before = way > 0 ? layers[i + 2] : next;
      if (before && placeOf(before) !== 'first' && placeOf(next) !== 'last')
        void open.edit({ op: 'move', id: layer.id, before: before.id });
    } else {
      open.selected = next.id;
      row.querySelector<HTMLElement>(`[data-packet="${next.id}"]`)?.focus();
    }
  }
  /** Whether another layer is seen alone. */
  const apart = (l: Layer) => open.alone !== '' && open.alone !== l.id && placeOf(l) !== 'first';
  const movable = (l: Layer) => open.canEdit && !fixed(l.kind);
</script>

<div
  class="strip flex items-end gap-3 overflow-x-auto overflow-y-hidden px-4 pt-3 pb-4"
  bind:this={row}
  role="group"
  aria-label="Layers"
>
  {#each ordered as layer (layer.id)}
    {@const on = open.selected === layer.id}
    <div
      class="group relative shrink-0 transition-transform duration-150 {on ? '-translate-y-2' : ''} {over === layer.id
        ? 'ml-4'
        : ''}"
      role="presentation"
      draggable={movable(layer)}
      ondragstart={(e) => {
        dragged = layer.id;
        e.dataTransfer?.setData('text/plain', layer.name);
      }}
      ondragover={(e) => {
        if (!dragged || placeOf(layer) === 'first') return;
        e.preventDefault();
        over = layer.id;
      }}
      ondrop={(e) => {
        e.preventDefault();
        drop(layer.id);
      }}
      ondragend={() => (dragged = over = null)}
    >
      <button
        data-packet={layer.id}
        aria-current={on}
        class="packet flex h-(--packet) w-(--packet) flex-col border text-left {on
          ? 'border-2 border-moss bg-plate'
          : open.pointed === layer.id
            ? 'border-moss bg-plate'
            : 'border-line bg-leaf'} {layer.hidden || apart(layer) ? 'opacity-50' : ''}"
        onclick={() => (open.selected = layer.id)}
        onkeydown={(e) => key(e, layer)}
      >
        <span class="fold"></span>
        {#if open.trouble.countOf(layer.id)}
          <span
            class="absolute top-1.5 left-1.5 rounded-sm bg-clay px-1.5 text-[11px] leading-[17px] font-semibold text-[#faf7ee]"
            title="{open.trouble.countOf(layer.id)} found wrong"
            >{open.trouble.countOf(layer.id).toLocaleString('en')}</span
          >
        {/if}
        <span class="flex flex-1 items-center justify-center"><Stamp kind={stamp(layer)} /></span>
        <span class="px-2.5 pb-2 leading-tight">
          <span class="block truncate font-serif text-[13px] font-semibold">{layer.name}</span>
          <span class="mt-0.5 flex justify-between text-[11px] text-soft"
            ><span>{line(layer)}</span><span>{weight(layer)}</span></span
          >
        </span>
      </button>
      {#if !fixed(layer.kind) && open.canEdit && !layer.locked}
        <ToolbarButton
          class="absolute top-2.5 right-1 opacity-0 transition-opacity group-hover:opacity-100 focus:opacity-100 {layer.hidden
            ? 'opacity-100'
            : ''}"
          aria-label={layer.hidden ? `show ${layer.name}` : `hide ${layer.name}`}
          onclick={() => open.edit({ op: 'layer', id: layer.id, hidden: !layer.hidden })}
        >
          {#if layer.hidden}<EyeOff size={16} />{:else}<Eye size={16} />{/if}
        </ToolbarButton>
      {/if}
    </div>
  {/each}
  {#if open.canEdit}
    <button
      class="flex h-(--packet) w-[calc(var(--packet)*0.77)] shrink-0 flex-col items-center justify-center gap-2 rounded-md border border-dashed border-soft/50 text-soft hover:border-moss hover:text-moss {over ===
      'add'
        ? 'ml-4'
        : ''}"
      aria-label="add a layer"
      onclick={() => (adding = true)}
      ondragover={(e) => {
        if (!dragged) return;
        e.preventDefault();
        over = 'add';
      }}
      ondrop={(e) => {
        e.preventDefault();
        drop(null);
      }}
    >
      <span class="text-[26px] leading-none">+</span><span class="font-serif font-semibold">Add</span>
    </button>
  {/if}
  {#if bake}
    {@const on = open.selected === bake.id}
    <button
      data-packet={bake.id}
      aria-current={on}
      class="packet dark-packet flex h-(--packet) w-(--packet) shrink-0 flex-col text-left transition-transform duration-150 {on
        ? '-translate-y-2 ring-2 ring-moss'
        : ''}"
      onclick={() => (open.selected = bake.id)}
      onkeydown={(e) => key(e, bake)}
    >
      <span class="fold opacity-30"></span>
      <span class="flex flex-1 items-center justify-center"><Stamp kind={bake.kind} color="currentColor" /></span>
      <span class="px-2.5 pb-2 leading-tight">
        <span class="block font-serif text-[13px] font-semibold">{bake.name}</span>
        <span class="mt-0.5 block truncate text-[11px] opacity-75">
          {#if !last}not baked yet{:else if last.state === 'done'}release {last.number} · {ago(
              last.finished ?? last.created,
            )}{:else if last.state === 'running'}{last.done} of {last.known || '?'} parts{:else}release {last.number}
            {last.state}{/if}
        </span>
      </span>
    </button>
  {/if}
</div>

<Modal title="Add a layer" bind:open={adding} size="sm" class="bg-leaf text-ink" onclose={begin}>
  <ul class="flex flex-col">
    {#each app.layers.filter((k) => k.place === 'middle') as kind (kind.name)}
      <li>
        <button
          class="flex w-full items-center gap-4 rounded px-3 py-2.5 text-left hover:bg-moss-tint"
          onclick={() => {
            adding = false;
            chosen = kind.name;
          }}
        >
          <Stamp kind={kind.name} />
          <span
            ><span class="block font-serif text-[16px] font-semibold">{kind.title}</span><span class="text-soft"
              >{kind.summary}</span
            ></span
          >
        </button>
      </li>
    {/each}
  </ul>
  <BringLines scene={open.id} onbrought={() => open.reload().then(() => open.evaluate())} />
</Modal>

<style>
  .packet {
    border-radius: 3px 3px 7px 7px;
    box-shadow: 0 1px 2px rgb(0 0 0 / 8%);
  }
  .fold {
    height: 9px;
    border-bottom: 1px dashed var(--line);
    margin: 0 7px;
  }
  .dark-packet {
    background: #232b20;
    color: #faf7ee;
  }
  .strip {
    background-image: radial-gradient(circle at 12px 14px, transparent 9px, var(--line) 9px 10.5px, transparent 10.5px);
    background-size: 24px 14px;
    background-position: 0 calc(100% - 8px);
    background-repeat: repeat-x;
  }
</style>
