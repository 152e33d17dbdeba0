<script lang="ts">
  import { Checkbox, Modal } from 'flowbite-svelte';
  import { app } from '../state/app.svelte';
  import { KEYS } from '../state/keys';

  /** Keys that controls take themselves. */
  const controls: [string, string][] = [
    ['← →', 'on the strip: the layer before or behind; with Alt: move it'],
    ['arrows', 'on a ruler: change; Shift fine, Alt coarse; Home, End to its ends · on a handle in the view: move it'],
  ];
  const all = $derived([...Object.values(KEYS).map((k): [string, string] => [k.shown, k.what]), ...controls]);
</script>

<Modal title="Keys" bind:open={app.keysShown} size="sm" class="bg-leaf text-ink">
  <p class="text-soft">In the view: left drag turns, right drag pans, the wheel zooms to the pointer.</p>
  <table class="w-full text-[13px]">
    <tbody>
      {#each all as [key, what] (key)}
        <tr class="border-t border-line"><td class="w-32 py-1.5"><span class="key">{key}</span></td><td>{what}</td></tr>
      {/each}
    </tbody>
  </table>
  <Checkbox
    classes={{ div: 'text-[13px] font-normal text-ink' }}
    checked={app.letters}
    onchange={(e) => app.switchLetters(e.currentTarget.checked)}
  >
    Single letters act (switch off when you speak to your machine)
  </Checkbox>
</Modal>
