<script lang="ts">
  /** Brings meshes of one's own onto the shelf: files are dropped, read, looked through, mended, taken. */
  import { Alert, Button, Checkbox, Modal, Select, Spinner } from 'flowbite-svelte';
  import FileUp from '@lucide/svelte/icons/file-up';
  import { createQuery } from '@tanstack/svelte-query';
  import { onDestroy } from 'svelte';
  import { said, type Model, type Values } from '../api/client';
  import { app } from '../state/app.svelte';
  import { ACCEPTED, choiceOf, metres, parametersOf, readMeshes, sizeOf, titleOf, type Choice } from '../state/meshes';
  import { libraryQuery } from '../state/queries';
  import FileButton from './FileButton.svelte';
  import LibraryDialog from './LibraryDialog.svelte';

  let {
    open = $bindable(),
    scene,
    onbring,
    onalone,
  }: {
    open: boolean;
    scene: string;
    /** Make an asset; its id, or null where it was not made. */
    onbring: (name: string, parameters: Values) => Promise<string | null>;
    /** One was brought in, alone. */
    onalone: (id: string) => void;
  } = $props();
  let found = $state<Model[]>([]);
  let choices = $state<Choice[]>([]);
  const library = createQuery(libraryQuery);
  let libraryOpen = $state(false);
  let reading = $state(0); // files on their way
  let over = $state(false);
  let failure = $state('');
  let bringing = $state(false);
  let running = new AbortController();
  onDestroy(() => running.abort());
  const wanted = $derived(found.filter((m, k) => !m.error && choices[k]?.wanted));
  const rows = $derived(app.assets.find((k) => k.name === 'mesh')?.parameters ?? []);
  const options = (path: string) =>
    Object.entries(rows.find((r) => r.path === path)?.options ?? {}).map(([value, name]) => ({ value, name }));

  async function read(files: File[]) {
    failure = '';
    reading = files.length;
    running = new AbortController();
    try {
      list(await readMeshes(files, running.signal));
    } catch (error) {
      if (!running.signal.aborted) failure = said(error);
    } finally {
      reading = 0;
    }
  }

  function list(more: Model[]) {
    found = [...found, ...more];
    choices = [...choices, ...more.map(choiceOf)];
  }

  function drop(event: DragEvent) {
    event.preventDefault();
    over = false;
    const files = [...(event.dataTransfer?.files ?? [])];
    if (files.length && !reading) void read(files);
  }

  /** Those that are made leave the list, so that none is made twice when one fails. */
  async function bring() {
    bringing = true;
    const alone = wanted.length === 1;
    for (const m of [...wanted]) {
      const at = found.indexOf(m);
      const id = await onbring(titleOf(m.file), parametersOf(m, choices[at] as Choice));
      if (!id) break;
      found = found.toSpliced(at, 1);
      choices = choices.toSpliced(at, 1);
      if (alone) onalone(id);
    }
    bringing = false;
    if (!wanted.length) clear();
    if (!found.length) open = false;
  }
  function clear() {
    found = [];
    choices = [];
  }
</script>

<Modal title="Bring in meshes" bind:open size="lg" class="bg-leaf text-ink" onclose={() => running.abort()}>
  <div
    class="flex items-center gap-4 rounded-md border border-dashed px-5 {found.length ? 'py-3' : 'py-10'} {over
      ? 'border-moss bg-moss-tint'
      : 'border-edge bg-plate'}"
    role="region"
    aria-label="drop files here"
    ondragover={(e) => {
      e.preventDefault();
      over = true;
    }}
    ondragleave={() => (over = false)}
    ondrop={drop}
  >
    <FileUp size={26} class="shrink-0 text-moss" />
    <p class="flex-1 text-[13px]">
      {#if reading}
        Reading {reading} {reading === 1 ? 'file' : 'files'}…
      {:else}
        Drop meshes here: <b>GLB, OBJ, STL, PLY</b>, several at once; an OBJ with its MTL and images.
        <span class="text-soft">At most 100 MB and a million triangles each.</span>
      {/if}
    </p>
    {#if reading}
      <Spinner size="6" />
      <Button color="alternative" onclick={() => running.abort()}>Cancel</Button>
    {:else}
      {#if library.data?.there}
        <Button color="alternative" onclick={() => (libraryOpen = true)}>From the library…</Button>
      {/if}
      <FileButton accept={ACCEPTED} label="meshes to bring in" onfiles={read}>Choose files…</FileButton>
    {/if}
  </div>
  {#if failure}<Alert role="alert">{failure}.</Alert>{/if}
  {#if found.length}
    <ul class="max-h-[46vh] divide-y divide-line overflow-y-auto">
      {#each found as m, k (k)}
        {@const choice = choices[k]}
        <li class="py-2.5" aria-label={m.file}>
          {#if m.error}
            <p class="flex items-baseline gap-2.5">
              <b class="font-medium">{m.file}</b><span class="text-clay">{m.error}</span>
            </p>
          {:else if choice}
            {@const [w, h, d] = sizeOf(m, choice)}
            <div class="flex items-center gap-3">
              <Checkbox aria-label="bring in {m.file}" bind:checked={choice.wanted} />
              <b class="min-w-0 flex-1 truncate font-medium">{m.file}</b>
              <span class="text-[12.5px] text-soft">
                {m.triangles.toLocaleString('en')} triangles · {m.materials.length}
                {m.materials.length === 1 ? 'material' : 'materials'}{m.images
                  ? ` · ${m.images} ${m.images === 1 ? 'image' : 'images'}`
                  : ''}{m.colliders ? ' · collider' : ''}
              </span>
            </div>
            <div class="mt-1.5 grid grid-cols-[230px_1fr] gap-5 pl-7">
              <div class="space-y-1.5">
                {#each [['unit', 'Unit'], ['up', 'Upwards']] as const as [path, title] (path)}
                  <label class="flex items-center gap-2 text-[12.5px]">
                    <span class="w-[66px]">{title}</span>
                    <Select size="sm" class="flex-1" placeholder="" items={options(path)} bind:value={choice[path]} />
                  </label>
                {/each}
                <p class="text-[12.5px]">
                  <span class="inline-block w-[60px] text-soft">Size</span>
                  {metres(w)} × {metres(d)}, <b class="font-medium">{metres(h)} m high</b>
                </p>
              </div>
              <ul class="text-[12.5px]" aria-label="what is wrong with {m.file}">
                {#each m.faults as fault, n (n)}
                  <li class="flex min-h-6.5 items-start gap-2">
                    {#if Object.keys(fault.mend).length}
                      <Checkbox
                        class="mt-0.5"
                        aria-label="mend: {fault.text}"
                        bind:checked={() => choice.mends[n] ?? false, (v) => (choice.mends[n] = v)}
                      />
                      <span>{fault.text}</span>
                    {:else}
                      <span class="mt-1.5 ml-1 size-1.5 shrink-0 rounded-full bg-ochre"></span>
                      <span class="ml-1.5">{fault.text}</span>
                    {/if}
                  </li>
                {:else}
                  <li class="text-soft">Nothing is wrong with it.</li>
                {/each}
              </ul>
            </div>
          {/if}
        </li>
      {/each}
    </ul>
    <div class="flex items-center justify-end gap-2">
      <Button color="alternative" disabled={bringing} onclick={clear}>Clear</Button>
      <Button color="primary" disabled={!wanted.length || bringing || reading > 0} onclick={bring}
        >{wanted.length === 1 ? 'Bring in one mesh' : `Bring in ${wanted.length} meshes`}</Button
      >
    </div>
  {/if}
</Modal>
<LibraryDialog bind:open={libraryOpen} {scene} kinds={['mesh']} ontaken={(taken) => list(taken.meshes)} />
