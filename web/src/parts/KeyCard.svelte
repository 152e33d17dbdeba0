<script lang="ts">
  import { Checkbox, Kbd, Modal } from 'flowbite-svelte';
  import { app } from '../state/app.svelte';
  import { KEYS } from '../state/keys';

  /** Keys that controls take themselves. */
  const controls: [string, string][] = [
    ['← →', 'on the strip: the layer before or behind; with Alt: move it'],
    ['arrows', 'on a ruler: change; Shift fine, Alt coarse; Home, End to its ends · on a point in the view: move it'],
    ['arrows + −', 'in the view: turn and zoom, with Shift walk · while drawing: move the cross, with Ctrl turn'],
    ['T Y U I', 'held, with the wheel or the arrows: turn, size, lift, which of them; with Shift finely'],
    ['right click', 'while setting down: take up what stands there'],
    ['Insert', 'on a point in the view: add one behind it'],
  ];
  const all = $derived([...Object.values(KEYS).map((k): [string, string] => [k.shown, k.what]), ...controls]);
</script>

<Modal title="Keys" bind:open={app.keysShown} size="sm" class="bg-leaf text-ink">
  <p class="text-soft">In the view: left drag turns, right drag pans, the wheel zooms to the pointer.</p>
  <dl class="grid grid-cols-[8rem_1fr] text-[13px]">
    {#each all as [key, what] (key)}
      <dt class="border-t border-line py-1.5"><Kbd>{key}</Kbd></dt>
      <dd class="border-t border-line py-1.5">{what}</dd>
    {/each}
  </dl>
  <Checkbox checked={app.letters} onchange={(e) => app.switchLetters(e.currentTarget.checked)}>
    Single letters act (switch off when you speak to your machine)
  </Checkbox>
</Modal>
