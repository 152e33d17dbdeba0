<script lang="ts">
  /** Who is in the scene, and letting others in. */
  import { Modal } from 'flowbite-svelte';
  import X from '@lucide/svelte/icons/x';
  import { api, said, take } from '../api/client';
  import { app } from '../state/app.svelte';
  import type { OpenScene } from '../state/scene.svelte';
  let { open }: { open: OpenScene } = $props();
  let shown = $state(false);
  let name = $state('');
  let role = $state('editor');
  let failed = $state('');
  const roles = {
    owner: 'owner: may do everything',
    editor: 'editor: changes and bakes',
    viewer: 'viewer: looks and downloads',
  };
  const path = $derived({ scene_id: open.id });

  async function put(who: string, as: string) {
    failed = '';
    try {
      await take(api.PUT('/api/scenes/{scene_id}/members', { params: { path }, body: { name: who, role: as } }));
      name = '';
    } catch (error) {
      failed = said(error);
    }
    await open.reload();
  }

  async function remove(who: string) {
    failed = '';
    try {
      await take(api.DELETE('/api/scenes/{scene_id}/members/{name}', { params: { path: { ...path, name: who } } }));
    } catch (error) {
      failed = said(error);
    }
    await open.reload();
  }
</script>

<button class="btn" onclick={() => (shown = true)}>Share</button>
<Modal title="Who is in this scene" bind:open={shown} size="sm" class="bg-leaf text-ink">
  <ul>
    {#each open.scene?.members ?? [] as m (m.name)}
      <li class="flex items-center gap-2 border-b border-line py-1.5">
        <span class="flex-1 font-medium">{m.name}{m.name === app.account ? ' (you)' : ''}</span>
        <select
          class="field"
          aria-label="role of {m.name}"
          value={m.role}
          onchange={(e) => put(m.name, (e.target as HTMLSelectElement).value)}
        >
          {#each Object.entries(roles) as [id, title] (id)}<option value={id}>{title}</option>{/each}
        </select>
        <button
          class="p-1 text-clay disabled:opacity-30"
          aria-label="take {m.name} out"
          disabled={m.name === app.account}
          onclick={() => remove(m.name)}><X size={15} /></button
        >
      </li>
    {/each}
  </ul>
  <form
    class="flex gap-2"
    onsubmit={(e) => {
      e.preventDefault();
      void put(name.trim(), role);
    }}
  >
    <input
      class="field min-w-0 flex-1"
      aria-label="account to let in"
      placeholder="account name"
      required
      maxlength="40"
      bind:value={name}
    />
    <select class="field" aria-label="role" bind:value={role}>
      {#each Object.entries(roles) as [id, title] (id)}<option value={id}>{title}</option>{/each}
    </select>
    <button class="btn btn-go" disabled={!name.trim()}>Let in</button>
  </form>
  {#if failed}<p class="text-clay" role="alert">{failed}</p>{/if}
</Modal>
