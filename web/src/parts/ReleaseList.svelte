<script lang="ts">
  /** The releases of a scene: what each weighs, what is noted on it, and what is done with it. */
  import { Button, Dropdown, DropdownDivider, DropdownItem, Modal, Textarea } from 'flowbite-svelte';
  import Download from '@lucide/svelte/icons/download';
  import Ellipsis from '@lucide/svelte/icons/ellipsis';
  import Pin from '@lucide/svelte/icons/pin';
  import { api, said, take, type Release } from '../api/client';
  import { app } from '../state/app.svelte';
  import { previousOf } from '../state/compare';
  import { colliderWords, manifestOf, sheetWords, weights, type Manifest } from '../state/releases';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import { ago, big, size } from '../state/values';
  import BakeParts from './BakeParts.svelte';
  import CompareDialog from './CompareDialog.svelte';
  import WeightMap from './WeightMap.svelte';

  let { open }: { open: SceneStore } = $props();
  const OPEN = ['queued', 'running', 'stopping'];
  const ended = $derived(
    open.releases.filter((r) => !OPEN.includes(r.state)).sort((a, b) => Number(b.pinned) - Number(a.pinned)),
  );
  let shown = $state<number | null>(null);
  let told = $state<number | null>(null);
  let menu = $state<number | null>(null);
  let compared = $state<{ release: number; viewpoint?: string } | null>(null);
  let noting = $state<Release | null>(null);
  let notes = $state('');
  let asked = $state<{ release: Release; to: 'delete' | 'take back' } | null>(null);

  /** What differs from the finished release before this one. */
  function changed(r: Release): string {
    const before = previousOf(open.releases, r.number);
    const [a, b] = [before && manifestOf(before), manifestOf(r)];
    if (!b) return '';
    if (!a) return 'the first release';
    const names = b.layers.filter((l) => a.layers.find((o) => o.id === l.id)?.key !== l.key).map((l) => l.name);
    const gone = a.layers.filter((l) => !b.layers.some((o) => o.id === l.id)).map((l) => `without ${l.name}`);
    const all = [...names, ...gone];
    return all.length ? `since release ${before?.number}: ${all.join(', ')}` : `as release ${before?.number}`;
  }

  const path = (r: Release) => ({ scene_id: open.id, number: r.number });

  async function change(r: Release, body: { notes?: string; pinned?: boolean }) {
    try {
      await take(api.PATCH('/api/scenes/{scene_id}/releases/{number}', { params: { path: path(r) }, body }));
      await open.loadReleases();
      return true;
    } catch (error) {
      app.tell(said(error), 'bad');
      return false;
    }
  }

  async function agreed() {
    if (!asked) return;
    const { release, to } = asked;
    asked = null;
    if (to === 'take back') {
      if (await open.edit({ op: 'takeBack', release: release.number }))
        app.tell(`The scene is as it was in release ${release.number}; undo brings it back`);
      return;
    }
    try {
      await take(api.DELETE('/api/scenes/{scene_id}/releases/{number}', { params: { path: path(release) } }));
      if (open.marked && [open.marked.before, open.marked.after].includes(release.number)) open.marked = null;
      app.tell(`Release ${release.number} is deleted`);
    } catch (error) {
      app.tell(said(error), 'bad');
    }
    await open.loadReleases();
  }
</script>

<section class="rule mt-3 pt-2" aria-label="releases">
  <h2 class="mb-1 text-[14px]">Releases</h2>
  {#if !ended.length}<p class="text-soft">A release is a finished bake, kept and numbered. There is none yet.</p>{/if}
  <ul>
    {#each ended as r (r.number)}
      <li class="border-b border-line py-1.5" data-release={r.number}>
        <div class="flex items-center gap-1.5">
          <button
            class="min-w-0 flex-1 text-left"
            aria-expanded={shown === r.number}
            onclick={() => (shown = shown === r.number ? null : r.number)}
          >
            <span class="flex items-center gap-1.5 font-serif text-[15px] font-semibold"
              >Release {r.number}{#if r.pinned}<Pin size={13} aria-label="pinned" class="text-moss" />{/if}</span
            >
            <span class="block truncate text-[12px] {r.state === 'failed' ? 'text-clay' : 'text-soft'}">
              {r.state === 'done' ? size(r.bytes) : r.state} · {r.author} · {ago(r.finished ?? r.created)}
            </span>
          </button>
          {#if r.state === 'done'}
            <Button
              color="alternative"
              size="xs"
              href="/api/scenes/{open.id}/releases/{r.number}/bundle.zip"
              download
              aria-label="download release {r.number}"><Download size={14} class="mr-1" />zip</Button
            >
          {/if}
          {#if r.state === 'done' || open.canEdit}
            <Button color="alternative" size="xs" class="px-2" aria-label="more about release {r.number}"
              ><Ellipsis size={14} /></Button
            >
            <Dropdown
              simple
              class="w-52 bg-leaf"
              placement="bottom-end"
              bind:isOpen={() => menu === r.number, (is) => (menu = is ? r.number : null)}
            >
              {#if r.state === 'done'}
                <DropdownItem
                  href="/walk?scene={open.id}&release={r.number}"
                  target="_blank"
                  onclick={() => (menu = null)}>Walk in it</DropdownItem
                >
                <DropdownItem
                  onclick={() => {
                    menu = null;
                    compared = { release: r.number };
                  }}>Compare…</DropdownItem
                >
              {/if}
              {#if open.canEdit}
                <DropdownItem
                  onclick={() => {
                    menu = null;
                    notes = r.notes;
                    noting = r;
                  }}>Notes…</DropdownItem
                >
                <DropdownItem
                  onclick={() => {
                    menu = null;
                    void change(r, { pinned: !r.pinned });
                  }}>{r.pinned ? 'Take the pin out' : 'Pin'}</DropdownItem
                >
                <DropdownItem
                  onclick={() => {
                    menu = null;
                    asked = { release: r, to: 'take back' };
                  }}>Take the scene back…</DropdownItem
                >
                <DropdownDivider />
                <DropdownItem
                  disabled={r.pinned}
                  title={r.pinned ? 'It is pinned' : ''}
                  class={r.pinned ? 'text-soft' : 'text-clay'}
                  onclick={() => {
                    if (r.pinned) return;
                    menu = null;
                    asked = { release: r, to: 'delete' };
                  }}>Delete…</DropdownItem
                >
              {/if}
            </Dropdown>
          {/if}
        </div>
        {#if r.notes}<p class="mt-0.5 font-serif text-[14px] leading-snug whitespace-pre-line">{r.notes}</p>{/if}
        {#if r.error}<p class="text-clay">{r.error}</p>{/if}
        {#if r.state === 'done'}<p class="text-[12px]">{changed(r)}</p>{/if}
        {#if r.stills.length}
          <div class="mt-1 flex gap-1.5 overflow-x-auto">
            {#each r.stills as s (s.viewpoint)}
              <Button
                color="alternative"
                class="shrink-0 overflow-hidden p-0"
                aria-label="compare {s.name} of release {r.number}"
                title={s.name}
                onclick={() => (compared = { release: r.number, viewpoint: s.viewpoint })}
                ><img class="h-12" src={s.picture} alt="" /></Button
              >
            {/each}
          </div>
        {/if}
        {#if shown === r.number && manifestOf(r)}
          {@const m = manifestOf(r) as Manifest}
          {#if m.weight?.tiles.length}<WeightMap tiles={m.weight.tiles} side={m.weight.side} />{/if}
          <table class="mt-1 w-full text-[12px] tabular-nums">
            <tbody>
              <tr><td>instances</td><td class="text-right">{m.counts.instances.toLocaleString('en')}</td></tr>
              <tr><td>colliders</td><td class="text-right">{m.counts.colliders.toLocaleString('en')}</td></tr>
              {#if m.counts.lamps}<tr
                  ><td>lamps</td><td class="text-right">{m.counts.lamps.toLocaleString('en')}</td></tr
                >{/if}
              {#each weights(m) as [name, bytes] (name)}<tr><td>{name}</td><td class="text-right">{size(bytes)}</td></tr
                >{/each}
            </tbody>
          </table>
          {#if m.weight}
            <h3 class="mt-2 text-[12.5px]">Layers, triangles from close by</h3>
            <table class="w-full text-[12px] tabular-nums">
              <tbody>
                {#each m.layers
                  .flatMap((l) => {
                    const w = m.weight?.layers[l.id];
                    return w ? [{ ...l, ...w }] : [];
                  })
                  .sort((a, b) => b.triangles - a.triangles) as l (l.id)}
                  <tr><td>{l.name}</td><td class="text-right">{big(l.triangles)}</td></tr>
                {/each}
              </tbody>
            </table>
          {/if}
          <details class="mt-2" ontoggle={(e) => (told = e.currentTarget.open ? r.number : null)}>
            <summary class="cursor-pointer text-[12.5px]">How it was made</summary>
            {#if told === r.number}<BakeParts scene={open.id} release={r.number} done={r.done} ended />{/if}
          </details>
          <h3 class="mt-2 text-[12.5px]">Assets, triangles by level</h3>
          <table class="w-full text-[12px] tabular-nums">
            <tbody>
              {#each m.assets as a (`${a.asset} ${a.seed} ${a.mirrored ?? false}`)}<tr class="align-top"
                  ><td
                    >{a.name}, seed {a.seed}{a.mirrored ? ', mirrored' : ''}{#if a.collider}<span
                        class="block text-soft">{colliderWords(a.collider)}</span
                      >{/if}{#if a.sheet}<span class="block text-soft">{sheetWords(a.sheet)}</span>{/if}</td
                  ><td class="text-right whitespace-nowrap">{a.triangles.map((t) => big(t)).join(' / ')}</td></tr
                >{/each}
            </tbody>
          </table>
        {/if}
      </li>
    {/each}
  </ul>
</section>

{#if compared}
  <CompareDialog
    bind:open={() => compared !== null, (stays) => (compared = stays ? compared : null)}
    store={open}
    {...compared}
  />
{/if}

<Modal
  title="Notes on release {noting?.number}"
  bind:open={() => noting !== null, (stays) => (noting = stays ? noting : null)}
  size="sm"
  class="bg-leaf text-ink"
>
  <Textarea class="w-full" rows={5} maxlength={4000} aria-label="notes" bind:value={notes} />
  <div class="flex justify-end gap-2">
    <Button color="alternative" onclick={() => (noting = null)}>Leave it</Button>
    <Button
      color="primary"
      onclick={async () => {
        if (noting && (await change(noting, { notes }))) noting = null;
      }}>Write it</Button
    >
  </div>
</Modal>

<Modal
  title={asked?.to === 'delete'
    ? `Delete release ${asked.release.number}?`
    : `Back to release ${asked?.release.number}?`}
  bind:open={() => asked !== null, (stays) => (asked = stays ? asked : null)}
  size="sm"
  class="bg-leaf text-ink"
>
  {#if asked?.to === 'delete'}
    <p>Its files and stills are gone for everyone in this scene. The scene itself stays as it is.</p>
  {:else}
    <p>
      Layers, assets, viewpoints and light become what they were when it was baked; the scene keeps its name. It is one
      edit: undo brings back what is there now.
    </p>
  {/if}
  <div class="flex justify-end gap-2">
    <Button color="alternative" onclick={() => (asked = null)}>{asked?.to === 'delete' ? 'Keep it' : 'Leave it'}</Button
    >
    <Button color={asked?.to === 'delete' ? 'red' : 'primary'} onclick={agreed}
      >{asked?.to === 'delete' ? 'Delete it' : 'Take it back'}</Button
    >
  </div>
</Modal>
