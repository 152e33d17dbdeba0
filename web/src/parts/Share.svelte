<script lang="ts">
  /** Who is in the scene, and letting others in. */
  import { Alert, Button, Input, Modal, Select, ToolbarButton } from 'flowbite-svelte';
  import X from '@lucide/svelte/icons/x';
  import { api, said, take } from '../api/client';
  import { app } from '../state/app.svelte';
  import type { SceneStore } from '../state/sceneStore.svelte';
  let { open }: { open: SceneStore } = $props();
  let shown = $state(false);
  let name = $state('');
  let role = $state('editor');
  let failed = $state('');
  const roles = [
    { value: 'owner', name: 'owner: may do everything' },
    { value: 'editor', name: 'editor: changes and bakes' },
    { value: 'viewer', name: 'viewer: looks and downloads' },
  ];
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

<Button color="alternative" onclick={() => (shown = true)}>Share</Button>
<Modal title="Who is in this scene" bind:open={shown} size="sm" class="bg-leaf text-ink">
  <ul>
    {#each open.scene?.members ?? [] as m (m.name)}
      <li class="flex items-center gap-2 border-b border-line py-1.5">
        <span class="flex-1 font-medium">{m.name}{m.name === app.account ? ' (you)' : ''}</span>
        <Select
          aria-label="role of {m.name}"
          placeholder=""
          items={roles}
          value={m.role}
          onchange={(e) => put(m.name, e.currentTarget.value)}
        />
        <ToolbarButton
          class="text-clay disabled:opacity-30"
          aria-label="take {m.name} out"
          disabled={m.name === app.account}
          onclick={() => remove(m.name)}><X size={16} /></ToolbarButton
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
    <Input
      class="min-w-0 flex-1"
      aria-label="account to let in"
      placeholder="account name"
      required
      maxlength={40}
      bind:value={name}
    />
    <Select aria-label="role" placeholder="" items={roles} bind:value={role} />
    <Button type="submit" color="primary" disabled={!name.trim()}>Let in</Button>
  </form>
  {#if failed}<Alert role="alert">{failed}</Alert>{/if}
</Modal>
