<script lang="ts">
  /** An area in words. */
  import { big } from '../state/values';
  import type { PartProps } from './registry';
  let { open, layer }: PartProps = $props();
  const area = $derived(open.view(layer.id)?.regions?.[0]?.area ?? 0);
  const corners = $derived(((layer.parameters.corners ?? []) as unknown[]).length);
</script>

<p class="font-serif text-[17px] leading-[1.6]">
  An area of {big(Math.round(area))} m² with {corners} corners. Drag its corners in the view; drag a mark between two to add
  one.
</p>
