<script lang="ts">
  import { Avatar } from 'flowbite-svelte';
  let { names }: { names: string[] } = $props();
  const tones = ['#3f6138', '#3f5b6b', '#8f6414', '#7a4a5c'];
  const tone = (n: string) => tones[[...n].reduce((a, c) => a + c.charCodeAt(0), 0) % tones.length];
</script>

<div class="flex -space-x-1.5" role="group" aria-label="here: {names.join(', ')}">
  {#each names as name (name)}
    <Avatar size="xs" stacked role="img" aria-label={name} title={name} style="background: {tone(name)}; color: #fff">
      {name.slice(0, 2)}
    </Avatar>
  {/each}
</div>
