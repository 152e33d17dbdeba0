<script lang="ts">
  import { Toast } from 'flowbite-svelte';
  import { app } from '../state/app.svelte';
</script>

<div class="pointer-events-none fixed right-4 bottom-48 z-50 flex w-80 flex-col gap-2" aria-live="polite">
  {#each app.messages as message (message.id)}
    <Toast
      class="pointer-events-auto {message.tone === 'bad' ? 'border-clay text-clay' : ''}"
      color={message.tone === 'bad' ? 'red' : 'gray'}
      role={message.tone === 'bad' ? 'alert' : 'status'}
      closeAriaLabel="dismiss"
      onclose={() => app.dismiss(message.id)}>{message.text}</Toast
    >
  {/each}
</div>
