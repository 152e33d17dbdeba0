<script lang="ts">
  /** The sun from above: drag the hand round for its direction, inwards for its height, beyond the horizon for dusk and night. */
  import Dial from '../controls/Dial.svelte';

  interface Sun {
    azimuth: number;
    elevation: number;
  }
  let {
    sun,
    disabled = false,
    oninput,
    onchange,
  }: { sun: Sun; disabled?: boolean; oninput: (s: Sun) => void; onchange: (s: Sun) => void } = $props();
  const RIM = 27; // where the sun stands at the horizon
  const DEEP = 2.4; // degrees under it for each step beyond
</script>

<Dial
  value={{ azimuth: sun.azimuth, amount: sun.elevation }}
  label="sun"
  words={(now) =>
    `from ${now.azimuth} degrees, ${Math.abs(now.amount)} degrees ${now.amount < 0 ? 'under the horizon' : 'high'}`}
  limits={[-18, 90]}
  step={1}
  strides={[3, 2]}
  amountAt={(distance) => (distance > RIM ? (RIM - distance) * DEEP : (Math.acos(distance / RIM) * 180) / Math.PI)}
  {disabled}
  oninput={(t) => oninput({ azimuth: t.azimuth, elevation: t.amount })}
  onchange={(t) => onchange({ azimuth: t.azimuth, elevation: t.amount })}
>
  {#snippet face(now)}
    {@const reach = now.amount < 0 ? RIM - now.amount / DEEP : RIM * Math.cos((now.amount * Math.PI) / 180)}
    {@const x = 36 + reach * Math.sin((now.azimuth * Math.PI) / 180)}
    {@const y = 36 - reach * Math.cos((now.azimuth * Math.PI) / 180)}
    <circle cx="36" cy="36" r="13.5" fill="none" stroke="var(--line)" stroke-dasharray="1.5 2.5" />
    {#each [0, 90, 180, 270] as a (a)}<path d="M36 6v4" stroke="var(--soft)" transform="rotate({a} 36 36)" />{/each}
    <path d="M36 36L{x} {y}" stroke="var(--ochre-mark)" stroke-width="2" />
    <circle cx={x} cy={y} r="5" fill="var(--ochre-mark)" />
    <text
      x="36"
      y={y > 38 ? 21 : 58}
      text-anchor="middle"
      font-size="9.5"
      fill="var(--ink)"
      paint-order="stroke"
      stroke="var(--leaf)"
      stroke-width="3">{now.amount < 0 ? `${-now.amount}° under` : `${now.amount}° high`}</text
    >
  {/snippet}
</Dial>
