<script lang="ts">
  /** The ground in words. */
  import type { PartProps } from './registry';
  let { layer }: PartProps = $props();
</script>

<p class="font-serif text-[17px] leading-[1.6]">
  {Number(layer.parameters.size).toLocaleString('en')} m of ground with about {Number(layer.parameters.relief)} m of relief{layer
    .parameters.basin
    ? ', a flat-bottomed basin'
    : ''}{layer.parameters.water ? `, and water at ${Number(layer.parameters.water_level)} m` : ''}.
</p>
