<script lang="ts">
  /** The last packet: what to write, progress, and the releases. */
  import { Alert, Button, Progressbar } from 'flowbite-svelte';
  import { api, said, take, type Release } from '../api/client';
  import Field from '../controls/Field.svelte';
  import BakeParts from '../parts/BakeParts.svelte';
  import GiveWay from '../parts/GiveWay.svelte';
  import LevelNames from '../parts/LevelNames.svelte';
  import ReleaseList from '../parts/ReleaseList.svelte';
  import { app } from '../state/app.svelte';
  import { matters } from '../state/matters';
  import { chosenProfile } from '../state/profiles';
  import { big, read, size } from '../state/values';
  import type { PartProps } from './registry';
  let { open, layer, rows }: PartProps = $props();
  const last = $derived(open.releases[0]);
  const running = $derived(last && ['queued', 'running', 'stopping'].includes(last.state) ? last : null);
  const profile = $derived(chosenProfile(app.profiles, open.scene?.settings));
  const total = $derived(open.evaluation?.total);
  const over = $derived(
    total &&
      profile &&
      (['triangles', 'instances', 'draw_calls', 'bytes'] as const).some((what) => total[what] > profile[what]),
  );
  /** Ordinals of the parts that the last message told of. */
  const freshOf = (release: Release) => (release as Release & { fresh?: number[] }).fresh ?? [];
  let failed = $state('');

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
</script>

<p class="font-serif text-[17px] leading-[1.6]">
  Writes the scene for {profile?.title ?? 'the game'} as glTF, its levels, a table of placements and a manifest.
</p>

<section class="rule mt-3 pt-2">
  <h2 class="mb-1 text-[14px]">What to write</h2>
  {#each rows.filter((r) => matters(r, layer.parameters)) as r (r.path)}
    <Field
      row={r}
      value={read(layer.parameters, r.path)}
      disabled={!open.canEdit}
      onchange={(v) => open.edit({ op: 'layer', id: layer.id, parameters: { [r.path]: v } })}
    />
    {#if r.path === 'names'}<LevelNames {open} pattern={String(read(layer.parameters, r.path))} />{/if}
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
    {#if over}<GiveWay {open} />{/if}
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
    {#if running.known}
      <BakeParts scene={open.id} release={running.number} done={running.done} fresh={freshOf(running)} />
    {/if}
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

<ReleaseList {open} />
