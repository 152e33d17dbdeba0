<script lang="ts">
  /** A path in words. */
  import type { PartProps } from './registry';
  let { open, layer }: PartProps = $props();
  const length = $derived(open.view(layer.id)?.curves?.[0]?.length ?? 0);
  const points = $derived(((layer.parameters.points ?? []) as unknown[]).length);
</script>

<p class="font-serif text-[17px] leading-[1.6]">
  A path of {String(layer.parameters.surface)}, {Number(layer.parameters.width)} m wide and {Math.round(length)} m long, through
  {points} points. Drag its points in the view; drag a mark between two to add one.
</p>
