<script lang="ts">
  import X from '@lucide/svelte/icons/x';
  import { app } from '../state/app.svelte';
</script>

<div class="pointer-events-none fixed right-4 bottom-48 z-50 flex w-80 flex-col gap-2" aria-live="polite">
  {#each app.messages as message (message.id)}
    <div
      class="pointer-events-auto flex items-start gap-2 rounded-md border bg-leaf px-3 py-2 shadow-md {message.tone ===
      'bad'
        ? 'border-clay text-clay'
        : 'border-line'}"
      role={message.tone === 'bad' ? 'alert' : 'status'}
    >
      <span class="flex-1">{message.text}</span>
      <button aria-label="dismiss" onclick={() => app.dismiss(message.id)}><X size={15} /></button>
    </div>
  {/each}
</div>
