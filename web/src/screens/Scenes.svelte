<script lang="ts">
  import {
    Spinner,
    Alert,
    Badge,
    Button,
    Fileupload,
    Input,
    Label,
    Modal,
    Radio,
    ToolbarButton,
  } from 'flowbite-svelte';
  import Trash from '@lucide/svelte/icons/trash-2';
  import { push } from 'svelte-spa-router';
  import { api, said, take, type Scene, type SceneCard } from '../api/client';
  import Stamp from '../parts/Stamp.svelte';
  import TopBar from '../parts/TopBar.svelte';
  import { createQuery } from '@tanstack/svelte-query';
  import { app } from '../state/app.svelte';
  import { scenesQuery } from '../state/queries';
  import { ago, size } from '../state/values';

  const scenes = createQuery(scenesQuery);
  let making = $state(false);
  let busy = $state(false);
  let name = $state('');
  let start = $state<'empty' | 'demo' | 'file'>('empty');
  let file = $state<FileList>();
  let refused = $state('');
  let doomed = $state<SceneCard | null>(null);

  async function create(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    refused = '';
    try {
      let document: Record<string, unknown> | null = null;
      if (start === 'file') {
        const chosen = file?.[0];
        if (!chosen) throw new Error('choose a scene file first');
        try {
          document = JSON.parse(await chosen.text()) as Record<string, unknown>;
        } catch {
          throw new Error(`${chosen.name} is not JSON`);
        }
      }
      const body = { name: name.trim(), start: start === 'demo' ? ('demo' as const) : ('empty' as const), document };
      const scene = await take<Scene>(api.POST('/api/scenes', { body }));
      making = false;
      await push(`/scene/${scene.id}`);
    } catch (error) {
      refused = said(error);
    }
    busy = false;
  }

  async function remove() {
    if (!doomed) return;
    try {
      await take(api.DELETE('/api/scenes/{scene_id}', { params: { path: { scene_id: doomed.id } } }));
      app.tell(`${doomed.name} is deleted`);
    } catch (error) {
      app.tell(said(error), 'bad');
    }
    doomed = null;
    await scenes.refetch();
  }

  function status(card: SceneCard): string {
    const r = card.release;
    if (!r) return 'not baked yet';
    if (r.state === 'done') return `release ${r.number} · ${size(r.bytes)}`;
    if (r.state === 'running' || r.state === 'stopping')
      return `baking release ${r.number} · ${r.done} of ${r.known || '?'} parts`;
    return `release ${r.number} ${r.state}`;
  }

  const starts = [
    { id: 'empty', stamp: 'ground', title: 'Empty ground', line: '512 m of gentle hills, nothing on them' },
    { id: 'demo', stamp: 'demo', title: 'Teasel Fen', line: 'a copy of the demo: mere, causeway, orchard' },
    { id: 'file', stamp: 'bake', title: 'Scene file', line: 'a document (JSON) that Plough has written' },
  ] as const;
</script>

<div class="flex h-full flex-col">
  <TopBar name="Scenes">
    {#snippet title()}<span class="font-serif text-[15px] font-semibold">Scenes</span>{/snippet}
    {#snippet actions()}<span class="text-[12.5px] text-soft">{app.account}</span>{/snippet}
  </TopBar>
  <main class="flex-1 overflow-y-auto px-10 py-8">
    <div class="mx-auto max-w-[1180px]">
      <div class="mb-5 flex items-end justify-between border-b border-line pb-3">
        <h2 class="text-[28px] leading-none">What is growing</h2>
        <Button
          color="primary"
          onclick={() => {
            making = true;
            refused = '';
          }}>New scene</Button
        >
      </div>
      {#if scenes.isError}
        <Alert class="bg-leaf p-5" role="alert">
          <p>The scenes could not be read: {said(scenes.error)}. Nothing is lost.</p>
          <Button color="alternative" class="mt-3" onclick={() => scenes.refetch()}>Try again</Button>
        </Alert>
      {:else if scenes.isPending}
        <p class="flex items-center gap-2 text-soft" role="status"><Spinner size="4" /> Reading the scenes…</p>
      {:else if !scenes.data.length}
        <div class="rounded border border-dashed border-line p-10 text-center">
          <p class="font-serif text-[18px]">
            A scene holds a ground, what you make for it, and the rules that place it.
          </p>
          <Button color="primary" class="mt-4" onclick={() => (making = true)}>Make the first one</Button>
        </div>
      {:else}
        <ul class="grid grid-cols-[repeat(auto-fill,minmax(340px,1fr))] gap-5">
          {#each scenes.data as card (card.id)}
            <li
              class="group relative overflow-hidden rounded-md border border-line bg-leaf transition-shadow hover:shadow-md"
            >
              <a href="#/scene/{card.id}" class="block">
                <div class="relative aspect-[16/9] border-b border-line bg-moss-tint">
                  {#if card.picture}<img src={card.picture} alt="" class="h-full w-full object-cover" />{:else}
                    <div class="flex h-full items-center justify-center gap-3 opacity-70">
                      <Stamp kind="ground" size={72} /><Stamp kind="scatter" size={72} />
                    </div>
                  {/if}
                </div>
                <div class="px-4 pt-3 pb-3.5">
                  <div class="flex items-baseline justify-between">
                    <h3 class="text-[19px]">{card.name}</h3>
                    <span class="text-[12px] text-soft">{ago(card.updated)}</span>
                  </div>
                  <p class="mt-1 text-soft">{card.layers} layers · {status(card)}</p>
                  <p class="mt-1.5 flex items-center gap-1.5 text-[12px]">
                    <span class="text-soft">{card.role === 'owner' ? 'yours' : `you are ${card.role}`} ·</span>
                    {#each card.members as member (member)}<Badge>{member}</Badge>{/each}
                  </p>
                </div>
              </a>
              {#if card.role === 'owner'}
                <ToolbarButton
                  class="absolute top-2 right-2 bg-leaf/90 p-1.5 text-clay opacity-0 transition-opacity group-hover:opacity-100 focus:opacity-100"
                  aria-label="delete {card.name}"
                  onclick={() => (doomed = card)}><Trash size={16} /></ToolbarButton
                >
              {/if}
            </li>
          {/each}
        </ul>
      {/if}
    </div>
  </main>
</div>

<Modal title="New scene" bind:open={making} size="md" class="bg-leaf text-ink">
  <form class="flex flex-col gap-4" onsubmit={create}>
    <Label class="flex flex-col gap-1"
      >Name<Input class="py-1.5" required maxlength={80} bind:value={name} placeholder="Withy Hythe" /></Label
    >
    <fieldset class="grid grid-cols-3 gap-3">
      <legend class="mb-1">Begin with</legend>
      {#each starts as s (s.id)}
        <Radio
          custom
          name="start"
          value={s.id}
          bind:group={start}
          classes={{
            label: `flex cursor-pointer flex-col items-center gap-1 rounded border p-3 text-center has-focus-visible:outline-2 has-focus-visible:outline-moss ${start === s.id ? 'border-moss bg-moss-tint' : 'border-line'}`,
          }}
        >
          <Stamp kind={s.stamp} />
          <span class="font-serif font-semibold">{s.title}</span>
          <span class="text-[12px] text-soft">{s.line}</span>
        </Radio>
      {/each}
    </fieldset>
    {#if start === 'file'}<Fileupload accept=".json,application/json" aria-label="scene file" bind:files={file} />{/if}
    {#if refused}<Alert role="alert">{refused}</Alert>{/if}
    <div class="flex justify-end gap-2">
      <Button color="alternative" onclick={() => (making = false)}>Cancel</Button>
      <Button type="submit" color="primary" disabled={busy || !name.trim()}>{busy ? 'Making…' : 'Make it'}</Button>
    </div>
  </form>
</Modal>

<Modal
  title="Delete {doomed?.name}?"
  open={doomed !== null}
  onclose={() => (doomed = null)}
  size="sm"
  class="bg-leaf text-ink"
>
  <p>The scene goes, with its edits and releases, for everyone in it. This cannot be undone.</p>
  <div class="flex justify-end gap-2">
    <Button color="alternative" onclick={() => (doomed = null)}>Keep it</Button>
    <Button color="red" outline onclick={remove}>Delete it</Button>
  </div>
</Modal>
