<script lang="ts">
  import { ThemeProvider } from 'flowbite-svelte';
  import { QueryClientProvider } from '@tanstack/svelte-query';
  import Router from 'svelte-spa-router';
  import { wrap } from 'svelte-spa-router/wrap';
  import { api, take, type Account } from './api/client';
  import KeyCard from './parts/KeyCard.svelte';
  import Messages from './parts/Messages.svelte';
  import Scenes from './screens/Scenes.svelte';
  import SignIn from './screens/SignIn.svelte';
  import { app } from './state/app.svelte';
  import { keyring } from './state/keys';
  import { queries } from './state/queries';
  import { theme } from './theme';

  const scene = wrap({ asyncComponent: () => import('./screens/SceneRoute.svelte') });
  const routes = {
    '/': Scenes,
    '/scene/:scene': scene,
    '/scene/:scene/asset/:asset': scene, // the same, so that it stays
    '*': Scenes,
  };

  $effect(() => {
    take<Account>(api.GET('/api/session'))
      .then((me) => (app.account = me.name))
      .catch(() => (app.account = null))
      .finally(() => (app.known = true));
  });
  $effect(() => {
    document.documentElement.classList.toggle('dusk', app.dusk);
  });

  $effect(() => {
    if (app.account === null) queries.clear(); // what one may see is not for the next
  });
  $effect(() => keyring.bind({ card: () => (app.keysShown = true) }));
  $effect(() => {
    keyring.letters = app.letters;
  });
</script>

<svelte:window onkeydown={(event) => keyring.press(event)} />
<QueryClientProvider client={queries}
  ><ThemeProvider {theme}>
    {#if !app.known}
      <p class="p-10 text-soft" role="status">Opening Plough…</p>
    {:else if app.account === null}
      <SignIn />
    {:else}
      <Router {routes} />
      {#if app.signedOut}<div class="fixed inset-0 z-50"><SignIn /></div>{/if}
    {/if}
    <Messages />
    <KeyCard />
  </ThemeProvider></QueryClientProvider
>
