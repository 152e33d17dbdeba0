<script lang="ts">
  /** The bar at the top: where one is, what is saved, who is here. */
  import { Breadcrumb, BreadcrumbItem, ToolbarButton } from 'flowbite-svelte';
  import Keyboard from '@lucide/svelte/icons/keyboard';
  import LogOut from '@lucide/svelte/icons/log-out';
  import Moon from '@lucide/svelte/icons/moon';
  import Sun from '@lucide/svelte/icons/sun';
  import type { Snippet } from 'svelte';
  import { api } from '../api/client';
  import { app } from '../state/app.svelte';

  let {
    name,
    crumbs = [],
    title,
    children,
    actions,
  }: {
    name: string; // of the screen, in the window's title
    crumbs?: { href: string; name: string }[];
    title?: Snippet;
    children?: Snippet;
    actions?: Snippet;
  } = $props();

  async function signOut() {
    await api.DELETE('/api/session');
    app.account = null;
  }
</script>

<svelte:head><title>{name} · Plough</title></svelte:head>
<h1 class="sr-only">{name}</h1>
<header class="flex h-11 shrink-0 items-center gap-3 border-b border-line bg-paper px-4">
  <a href="#/" class="font-serif text-[20px] font-semibold">Plough</a>
  <Breadcrumb ariaLabel="where you are">
    {#each crumbs as c (c.href)}<BreadcrumbItem href={c.href}>{c.name}</BreadcrumbItem>{/each}
    {#if title}<BreadcrumbItem>{@render title()}</BreadcrumbItem>{/if}
  </Breadcrumb>
  <div class="min-w-0 flex-1 truncate text-[12.5px] text-soft">{@render children?.()}</div>
  {@render actions?.()}
  <ToolbarButton aria-label="keys" title="Keys (?)" onclick={() => (app.keysShown = true)}
    ><Keyboard size={17} /></ToolbarButton
  >
  <ToolbarButton
    aria-label={app.dusk ? 'light theme' : 'dusk theme'}
    title={app.dusk ? 'Light' : 'Dusk'}
    onclick={() => app.switchTheme()}
  >
    {#if app.dusk}<Sun size={17} />{:else}<Moon size={17} />{/if}
  </ToolbarButton>
  <ToolbarButton aria-label="sign out {app.account}" title="Sign out {app.account}" onclick={signOut}
    ><LogOut size={17} /></ToolbarButton
  >
</header>
