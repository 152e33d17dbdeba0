<script lang="ts">
  /** Targets of one's own: what a frame may weigh on them, and how they are written. */
  import { Button, Input, Modal } from 'flowbite-svelte';
  import Plus from '@lucide/svelte/icons/plus';
  import Field from '../controls/Field.svelte';
  import { app } from '../state/app.svelte';
  import { freshProfile, ownProfiles, withoutProfile, type OwnProfile } from '../state/profiles';
  import type { SceneStore } from '../state/sceneStore.svelte';

  let { open = $bindable(), store }: { open: boolean; store: SceneStore } = $props();
  const settings = $derived(store.scene?.settings);
  const own = $derived(ownProfiles(settings));
  let shown = $state('');
  const chosen = $derived(own.find((p) => p.id === shown) ?? own[0]);
  const rows = $derived((app.settings.profile ?? []).filter((r) => r.control));
  const edit = (changes: Record<string, unknown>) => store.edit({ op: 'scene', settings: changes });
  const change = (p: OwnProfile, values: Partial<OwnProfile>) =>
    edit({ [`profiles#${p.id}`]: { ...$state.snapshot(p), ...values } });

  async function add() {
    const fresh = freshProfile(app.profiles, settings);
    if (await edit({ [`profiles#${fresh.id}`]: fresh, profile: fresh.id })) shown = fresh.id;
  }
</script>

<Modal title="Own profiles" bind:open size="md" class="bg-leaf text-ink">
  <div class="flex flex-wrap items-center gap-1.5" role="group" aria-label="own profiles">
    {#each own as p (p.id)}
      <Button
        size="xs"
        color={p.id === chosen?.id ? 'primary' : 'alternative'}
        aria-pressed={p.id === chosen?.id}
        onclick={() => (shown = p.id)}>{p.name}</Button
      >
    {/each}
    {#if store.canEdit}<Button size="xs" color="alternative" disabled={own.length >= 12} onclick={add}
        ><Plus size={14} class="mr-1" />New profile</Button
      >{/if}
  </div>
  {#if chosen}
    <div data-profile={chosen.id}>
      <label class="mb-1.5 grid grid-cols-[118px_1fr] items-center">
        <span>Name</span>
        <Input
          size="sm"
          maxlength={60}
          disabled={!store.canEdit}
          value={chosen.name}
          onchange={(e) => {
            const name = e.currentTarget.value.trim();
            if (name) void change(chosen, { name });
            else e.currentTarget.value = chosen.name;
          }}
        />
      </label>
      {#each rows as r (r.path)}
        <Field
          row={r}
          value={chosen[r.path] ?? r.default}
          disabled={!store.canEdit}
          onchange={(v) => change(chosen, { [r.path]: v })}
        />
      {/each}
    </div>
    {#if store.canEdit}
      <div class="flex justify-between gap-2">
        <Button color="alternative" onclick={() => edit(withoutProfile(settings, chosen.id))}
          >Delete {chosen.name}</Button
        >
        {#if settings?.profile !== chosen.id}
          <Button color="primary" onclick={() => edit({ profile: chosen.id })}>Make the scene for it</Button>
        {/if}
      </div>
    {/if}
  {:else}
    <p class="text-soft">
      A profile says what a view may weigh, how large textures are and how files are written. A new one begins as the
      one that is chosen.
    </p>
  {/if}
</Modal>
