<script lang="ts">
  import { Alert, Button, Input, Label } from 'flowbite-svelte';
  import { api, said, take, type Account } from '../api/client';
  import Stamp from '../parts/Stamp.svelte';
  import { app } from '../state/app.svelte';
  let name = $state(app.account ?? '');
  let password = $state('');
  let failed = $state('');
  let busy = $state(false);

  async function signIn(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    failed = '';
    try {
      app.signedIn((await take<Account>(api.POST('/api/session', { body: { name, password } }))).name);
    } catch (error) {
      failed = said(error);
    }
    busy = false;
  }
</script>

<svelte:head><title>Sign in · Plough</title></svelte:head>
<main class="flex h-full items-center justify-center bg-paper">
  <div class="w-[400px] border border-line bg-leaf px-9 pt-7 pb-8 shadow-sm">
    <div class="flex items-center justify-between border-b border-line pb-4">
      <h1 class="text-[30px] leading-none">Plough</h1>
      <div class="flex gap-1">
        <Stamp kind="tree" size={38} /><Stamp kind="tuft" size={38} /><Stamp kind="ground" size={38} />
      </div>
    </div>
    <p class="mt-4 font-serif text-[16px] leading-snug">
      {app.signedOut
        ? 'Your session has ended. Sign in again: what you changed meanwhile is kept here and sent then.'
        : 'Grow trees and reeds from a few numbers, place them by rule, bake them for the game.'}
    </p>
    <form class="mt-5 flex flex-col gap-3" onsubmit={signIn}>
      <Label class="flex flex-col gap-1"
        >Name<Input class="py-1.5" autocomplete="username" required maxlength={40} bind:value={name} /></Label
      >
      <Label class="flex flex-col gap-1">
        Password<Input
          class="py-1.5"
          type="password"
          autocomplete="current-password"
          required
          maxlength={200}
          bind:value={password}
        />
      </Label>
      {#if failed}<Alert role="alert">{failed}</Alert>{/if}
      <Button type="submit" color="primary" class="mt-1" disabled={busy}>{busy ? 'Signing in…' : 'Sign in'}</Button>
    </form>
  </div>
</main>
