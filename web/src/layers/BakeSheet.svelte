<script lang="ts">
  /** The last packet: what to write, progress, and the releases. */
  import { Alert, Button, Progressbar } from 'flowbite-svelte';
  import Download from '@lucide/svelte/icons/download';
  import { api, said, take, type Release } from '../api/client';
  import Field from '../controls/Field.svelte';
  import CompareDialog from '../parts/CompareDialog.svelte';
  import { app } from '../state/app.svelte';
  import { ago, big, read, size } from '../state/values';
  import type { PartProps } from './registry';
  let { open, layer, rows }: PartProps = $props();
  const last = $derived(open.releases[0]);
  const running = $derived(last && ['queued', 'running', 'stopping'].includes(last.state) ? last : null);
  const profile = $derived(app.profiles.find((p) => p.name === open.scene?.settings.profile));
  const total = $derived(open.evaluation?.total);
  let failed = $state('');
  let shown = $state<number | null>(null);
  let compared = $state<{ release: number; viewpoint: string } | null>(null);

  async function bake() {
    failed = '';
    try {
      const release = await take<Release>(
        api.POST('/api/scenes/{scene_id}/releases', { params: { path: { scene_id: open.id } } }),
      );
      void open.stills.keep(release.number, open.scene?.settings.viewpoints ?? []);
      await open.loadReleases();
    } catch (error) {
      failed = said(error);
    }
  }

  async function cancel(number: number) {
    try {
      await take(
        api.POST('/api/scenes/{scene_id}/releases/{number}/cancel', {
          params: { path: { scene_id: open.id, number } },
        }),
      );
      await open.loadReleases();
    } catch (error) {
      app.tell(said(error), 'bad');
    }
  }

  interface Manifest {
    counts: { instances: number; triangles: number; meshes: number; colliders: number; lamps?: number };
    layers: { id: string; name: string; key: string; placements: number }[];
    assets: { asset: string; name: string; seed: number; triangles: number[] }[];
    files: { path: string; bytes: number }[];
  }
  const manifest = (r: Release) => r.manifest as unknown as Manifest | null;

  /** What differs from the finished release before this one. */
  function changed(r: Release): string {
    const before = open.releases.find((o) => o.number < r.number && o.state === 'done');
    const [a, b] = [before && manifest(before), manifest(r)];
    if (!b) return '';
    if (!a) return 'the first release';
    const names = b.layers.filter((l) => a.layers.find((o) => o.id === l.id)?.key !== l.key).map((l) => l.name);
    const gone = a.layers.filter((l) => !b.layers.some((o) => o.id === l.id)).map((l) => `without ${l.name}`);
    const all = [...names, ...gone];
    return all.length ? `since release ${before?.number}: ${all.join(', ')}` : `as release ${before?.number}`;
  }
</script>

<p class="font-serif text-[17px] leading-[1.6]">
  Writes one glTF scene for {profile?.title ?? 'the game'}, its levels, a table of placements and a manifest.
</p>

<section class="rule mt-3 pt-2">
  <h2 class="mb-1 text-[14px]">What to write</h2>
  {#each rows as r (r.path)}
    <Field
      row={r}
      value={read(layer.parameters, r.path)}
      disabled={!open.canEdit}
      onchange={(v) => open.edit({ op: 'layer', id: layer.id, parameters: { [r.path]: v } })}
    />
  {/each}
</section>

{#if total && profile}
  <section class="rule mt-3 pt-2">
    <h2 class="mb-1 text-[14px]">What it weighs</h2>
    <table class="w-full tabular-nums">
      <tbody>
        {#each [['triangles from here', total.triangles, profile.triangles], ['instances', total.instances, profile.instances], ['draw calls', total.draw_calls, profile.draw_calls]] as [string, number, number][] as [what, n, most] (what)}
          <tr
            ><td class="py-0.5">{what}</td><td class="text-right {n > most ? 'text-clay' : ''}">{big(n)}</td><td
              class="w-24 text-right text-soft">of {big(most)}</td
            ></tr
          >
        {/each}
        <tr
          ><td class="py-0.5">geometry</td><td class="text-right {total.bytes > profile.bytes ? 'text-clay' : ''}"
            >{size(total.bytes)}</td
          ><td class="text-right text-soft">of {size(profile.bytes)}</td></tr
        >
      </tbody>
    </table>
  </section>
{/if}

<section class="rule mt-3 pt-3">
  {#if running}
    <div class="mb-1 flex items-baseline justify-between">
      <span class="font-serif text-[15px] font-semibold"
        >Release {running.number}
        {running.state === 'stopping' ? 'is stopping' : running.state === 'queued' ? 'waits' : 'is baking'}</span
      >
      <span class="text-soft tabular-nums">{running.done} of {running.known || '?'}</span>
    </div>
    <Progressbar
      progress={running.known ? (running.done / running.known) * 100 : 3}
      role="progressbar"
      aria-valuenow={running.done}
      aria-valuemax={running.known || 1}
      aria-label="bake"
    />
    <div class="mt-1.5 flex items-center justify-between gap-2">
      <span class="truncate text-[12px] text-soft">{running.part}</span>
      {#if open.canEdit}<Button
          color="alternative"
          disabled={running.state === 'stopping'}
          onclick={() => cancel(running.number)}>Stop</Button
        >{/if}
    </div>
  {:else if open.canEdit}
    <Button color="primary" class="w-full" onclick={bake}>Bake release {(last?.number ?? 0) + 1}</Button>
  {:else}
    <p class="text-soft">A viewer can download releases but not bake.</p>
  {/if}
  {#if open.stills.progress !== null}
    <div class="mt-3 flex items-center gap-3" role="status" aria-label="stills of the viewpoints">
      <span class="flex-1">
        <Progressbar progress={Math.round(open.stills.progress * 100)} size="h-1.5" />
        <span class="text-[12px] text-soft">stills of the viewpoints; the view stands still meanwhile</span>
      </span>
      <Button color="alternative" onclick={() => open.stills.cancel()}>Without stills</Button>
    </div>
  {/if}
  {#if failed}<Alert class="mt-2" role="alert">{failed}</Alert>{/if}
</section>

<section class="rule mt-3 pt-2">
  <h2 class="mb-1 text-[14px]">Releases</h2>
  {#if !open.releases.filter((r) => r !== running).length}<p class="text-soft">
      A release is a finished bake, kept and numbered. There is none yet.
    </p>{/if}
  <ul>
    {#each open.releases.filter((r) => r !== running) as r (r.number)}
      <li class="border-b border-line py-1.5">
        <div class="flex items-center gap-2">
          <button
            class="flex-1 text-left"
            aria-expanded={shown === r.number}
            onclick={() => (shown = shown === r.number ? null : r.number)}
          >
            <span class="font-serif text-[15px] font-semibold">Release {r.number}</span>
            <span class="block text-[12px] {r.state === 'failed' ? 'text-clay' : 'text-soft'}">
              {r.state === 'done' ? size(r.bytes) : r.state} · {r.author} · {ago(r.finished ?? r.created)}
            </span>
          </button>
          {#if r.state === 'done'}
            <Button
              color="alternative"
              href="/api/scenes/{open.id}/releases/{r.number}/bundle.zip"
              download
              aria-label="download release {r.number}"><Download size={14} /> zip</Button
            >
          {/if}
        </div>
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
        {#if shown === r.number && manifest(r)}
          {@const m = manifest(r) as Manifest}
          <table class="mt-1 w-full text-[12px] tabular-nums">
            <tbody>
              <tr><td>instances</td><td class="text-right">{m.counts.instances.toLocaleString('en')}</td></tr>
              <tr><td>colliders</td><td class="text-right">{m.counts.colliders.toLocaleString('en')}</td></tr>
              {#if m.counts.lamps}<tr
                  ><td>lamps</td><td class="text-right">{m.counts.lamps.toLocaleString('en')}</td></tr
                >{/if}
              {#each m.assets as a (a.asset + a.seed)}<tr
                  ><td>{a.name}, seed {a.seed}</td><td class="text-right"
                    >{a.triangles.map((t) => big(t)).join(' / ')} tri</td
                  ></tr
                >{/each}
              {#each m.files.filter((f) => !f.path.startsWith('levels/')) as f (f.path)}<tr
                  ><td>{f.path}</td><td class="text-right">{size(f.bytes)}</td></tr
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
    releases={open.releases}
    {...compared}
  />
{/if}
