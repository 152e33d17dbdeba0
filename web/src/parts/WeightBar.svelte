<script lang="ts">
  /** Each layer's share of the weight, against the target profile. */
  import { Button, Select, Spinner } from 'flowbite-svelte';
  import SlidersHorizontal from '@lucide/svelte/icons/sliders-horizontal';
  import { app } from '../state/app.svelte';
  import { profilesOf } from '../state/profiles';
  import type { SceneStore } from '../state/sceneStore.svelte';
  import { big, size } from '../state/values';
  import ProfilesDialog from './ProfilesDialog.svelte';
  let { open }: { open: SceneStore } = $props();

  const measures = {
    triangles: 'triangles from here',
    instances: 'instances',
    draw_calls: 'draw calls',
    bytes: 'bytes of geometry',
  } as const;
  let profiles = $state(false);
  let measure = $state<keyof typeof measures>('triangles');
  const tones = [
    '#8a7a55',
    '#a39f92',
    '#3f6138',
    '#7f9a5c',
    '#b88a3a',
    '#5d7f8f',
    '#9a6a4a',
    '#6c7f4d',
    '#4d6a7a',
    '#b7a56a',
  ];
  const evaluation = $derived(open.evaluation);
  const total = $derived(evaluation?.total[measure] ?? 0);
  const target = $derived(evaluation?.target[measure] ?? 1);
  const full = $derived(Math.max(total, target) * 1.12 || 1);
  const shares = $derived(
    (evaluation?.layers ?? [])
      .map((l, i) => ({ id: l.id, n: l.weight[measure], tone: tones[i % tones.length] }))
      .filter((s) => s.n > 0),
  );
  const over = $derived(total > target);
  const say = (n: number) => (measure === 'bytes' ? size(n) : big(n));
</script>

<div class="flex h-9 items-center gap-3 border-b border-line px-4 text-[12.5px]">
  <span class="font-serif font-semibold">Weight</span>
  <Select
    aria-label="what is weighed"
    placeholder=""
    classes={{ select: 'border-transparent bg-transparent' }}
    items={Object.entries(measures).map(([value, name]) => ({ value, name }))}
    bind:value={measure}
  />
  <span class="tabular-nums {over ? 'text-clay' : ''}" data-weight={total}>{say(total)} of {say(target)}</span>
  <div
    class="relative flex h-3 flex-1 border border-line bg-leaf"
    role="img"
    aria-label="weight: {say(total)} of {say(target)} {measures[measure]}"
  >
    {#each shares as s (s.id)}
      <!-- a short way for the pointer; by keys the packets do the same -->
      <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
      <div
        class="h-full cursor-pointer transition-[width] duration-150 {open.selected === s.id ? 'brightness-90' : ''}"
        style:width="{(s.n / full) * 100}%"
        style:background={s.tone}
        title="{open.layer(s.id)?.name}: {say(s.n)}"
        onclick={() => (open.selected = s.id)}
      ></div>
    {/each}
    <span class="absolute -top-1 -bottom-1 w-[2px] bg-clay" style:left="{(target / full) * 100}%" title="target"></span>
  </div>
  {#if open.computing}<span class="flex items-center gap-1.5 text-soft" role="status"
      ><Spinner size="4" /> computing…</span
    >{/if}
  <Select
    aria-label="target profile"
    placeholder=""
    disabled={!open.canEdit}
    items={profilesOf(app.profiles, open.scene?.settings).map((p) => ({ value: p.name, name: p.title }))}
    value={open.scene?.settings.profile}
    onchange={(e) => open.edit({ op: 'scene', settings: { profile: e.currentTarget.value } })}
  />
  <Button
    color="alternative"
    size="xs"
    class="border-transparent px-1.5"
    aria-label="own profiles"
    title="Own profiles"
    onclick={() => (profiles = true)}><SlidersHorizontal size={14} /></Button
  >
</div>

<ProfilesDialog bind:open={profiles} store={open} />
