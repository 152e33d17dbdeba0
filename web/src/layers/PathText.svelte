<script lang="ts">
  /** A path in words. */
  import WriteLines from '../parts/WriteLines.svelte';
  import { pathText } from '../state/paths';
  import type { PartProps } from './registry';
  let { open, layer }: PartProps = $props();
  const length = $derived(open.view(layer.id)?.curves?.[0]?.length ?? 0);
</script>

<p class="font-serif text-[17px] leading-[1.6]">
  {pathText(layer.parameters, length)} Drag its points in the view; drag a mark between two to add one.
</p>
<div class="mt-2"><WriteLines scene={open.id} name={open.scene?.name ?? ''} /></div>
