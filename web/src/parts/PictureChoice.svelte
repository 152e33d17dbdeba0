<script lang="ts">
  /** A picture to choose by; `chosen` is for those that may be chosen together with others. */
  import Check from '@lucide/svelte/icons/check';

  let {
    picture,
    title,
    label,
    chosen,
    onclick,
  }: { picture: string; title: string; label: string; chosen?: boolean; onclick: () => void } = $props();
</script>

<button
  class="relative w-full overflow-hidden rounded-[5px] border bg-plate text-left hover:border-moss {chosen
    ? 'border-moss ring-2 ring-moss'
    : 'border-line'}"
  aria-label={label}
  aria-pressed={chosen}
  {onclick}
>
  <img src={picture} alt="" loading="lazy" class="portrait aspect-[10/9] w-full" />
  <span class="block truncate px-2 py-1.5 font-serif text-[12.5px] leading-tight font-semibold" {title}>{title}</span>
  {#if chosen}<span class="absolute top-1.5 right-1.5 rounded-full bg-moss p-0.5 text-on-moss"
      ><Check size={13} strokeWidth={3} /></span
    >{/if}
</button>
