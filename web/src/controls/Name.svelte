<script lang="ts">
  /** A name that is edited where it stands; an empty one goes back. */
  import { Input } from 'flowbite-svelte';

  let {
    value,
    label,
    disabled = false,
    class: look = '',
    onchange,
    onleave,
  }: {
    value: string;
    label: string;
    disabled?: boolean;
    class?: string;
    onchange: (name: string) => void;
    onleave?: () => void;
  } = $props();

  function settle(event: Event) {
    const input = event.target as HTMLInputElement;
    const name = input.value.trim();
    if (name && name !== value) onchange(name);
    else input.value = value;
  }

  function typed(event: KeyboardEvent) {
    const input = event.target as HTMLInputElement;
    if (event.key === 'Escape') input.value = value;
    if (event.key === 'Enter' || event.key === 'Escape') input.blur();
  }
</script>

<Input
  class="min-w-0 truncate border-0 bg-transparent p-0 font-serif font-semibold focus:ring-0 {look}"
  aria-label={label}
  maxlength={80}
  {disabled}
  {value}
  onchange={settle}
  onkeydown={typed}
  onblur={() => onleave?.()}
/>
