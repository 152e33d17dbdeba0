<script lang="ts">
  /** Says that the presets could not be read, and tries again. */
  import { Alert, Button } from 'flowbite-svelte';
  import { said } from '../api/client';

  let { query }: { query: { error: Error | null; refetch: () => unknown } } = $props();
</script>

{#if query.error}
  <Alert role="alert">
    The presets could not be read: {said(query.error)}.
    <Button color="alternative" onclick={() => query.refetch()}>Try again</Button>
  </Alert>
{/if}
