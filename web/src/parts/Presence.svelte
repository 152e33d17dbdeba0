<script lang="ts">
  let { names }: { names: string[] } = $props();
  const tones = ['#3f6138', '#3f5b6b', '#8f6414', '#7a4a5c'];
  const tone = (n: string) => tones[[...n].reduce((a, c) => a + c.charCodeAt(0), 0) % tones.length];
</script>

<div class="flex -space-x-1.5" role="group" aria-label="here: {names.join(', ')}">
  {#each names as name (name)}
    <span
      class="flex size-[26px] items-center justify-center rounded-full border-2 border-paper text-[10.5px] font-semibold text-white uppercase"
      style:background={tone(name)}
      title={name}>{name.slice(0, 2)}</span
    >
  {/each}
</div>
