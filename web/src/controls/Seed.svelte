<script lang="ts">
  /** A seed: a number and a die. */
  import { Input, ToolbarButton } from 'flowbite-svelte';
  import Titled from './Titled.svelte';
  import Dices from '@lucide/svelte/icons/dices';
  let {
    value,
    label = 'seed',
    path = '',
    disabled = false,
    onchange,
  }: { value: number; label?: string; path?: string; disabled?: boolean; onchange: (v: number) => void } = $props();
</script>

<span
  class="inline-flex items-center gap-1.5 rounded-md border border-edge bg-plate py-[3px] pr-1 pl-2.5 text-[12.5px]"
>
  {#if path}<Titled {path} {label} />{:else}<span>{label}</span>{/if}
  <Input
    class="w-[5ch]! border-0 bg-transparent p-0 text-right tabular-nums focus:ring-0"
    aria-label={label}
    {disabled}
    {value}
    inputmode="numeric"
    onchange={(e) => {
      const input = e.target as HTMLInputElement;
      const n = Number(input.value);
      if (Number.isInteger(n) && n >= 0 && n <= 4294967295) onchange(n);
      else input.value = String(value);
    }}
  />
  <ToolbarButton
    class="-my-1 text-ink hover:text-moss"
    aria-label="another {label}"
    title="another {label}"
    {disabled}
    onclick={() => onchange(Math.floor(Math.random() * 1000))}
  >
    <Dices size={16} strokeWidth={1.6} />
  </ToolbarButton>
</span>
