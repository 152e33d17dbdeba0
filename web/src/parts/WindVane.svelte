<script lang="ts">
  /** The wind from above: drag the arrow's tip; its length is the speed. */
  import Dial from '../controls/Dial.svelte';

  interface Wind {
    azimuth: number;
    speed: number;
  }
  let {
    wind,
    disabled = false,
    oninput,
    onchange,
  }: { wind: Wind; disabled?: boolean; oninput: (w: Wind) => void; onchange: (w: Wind) => void } = $props();
  const [LEAST, MOST] = [8, 27]; // half the arrow's length in a calm, and in a wind of FULL metres a second
  const FULL = 16;
</script>

<Dial
  value={{ azimuth: wind.azimuth, amount: wind.speed }}
  label="wind"
  words={(now) => `${now.amount} metres a second from ${now.azimuth} degrees`}
  limits={[0, 30]}
  step={0.5}
  strides={[5, 0.5]}
  turned={180}
  amountAt={(distance) => ((Math.min(MOST, distance) - LEAST) / (MOST - LEAST)) * FULL}
  {disabled}
  oninput={(t) => oninput({ azimuth: t.azimuth, speed: t.amount })}
  onchange={(t) => onchange({ azimuth: t.azimuth, speed: t.amount })}
>
  {#snippet face(now)}
    {@const tip = LEAST + (MOST - LEAST) * Math.min(1, now.amount / FULL)}
    <g
      stroke="var(--slate)"
      stroke-width="2.2"
      fill="none"
      stroke-linecap="round"
      stroke-linejoin="round"
      transform="rotate({now.azimuth + 180} 36 36)"
    >
      <path d="M36 {36 + tip}V{36 - tip}" />
      <path d="M32 {42 - tip}L36 {36 - tip}L40 {42 - tip}" />
    </g>
    <text
      x="36"
      y={Math.cos((now.azimuth * Math.PI) / 180) > 0.5 ? 16 : 62}
      text-anchor="middle"
      font-size="9.5"
      fill="var(--ink)"
      paint-order="stroke"
      stroke="var(--leaf)"
      stroke-width="3">{now.amount} m/s</text
    >
  {/snippet}
</Dial>
