<script lang="ts">
  import { Modal } from 'flowbite-svelte';
  import { app } from '../state/app.svelte';
  const keys: [string, string][] = [
    ['Ctrl Z', 'undo your own last edit'],
    ['Ctrl Shift Z', 'do it again'],
    ['F', 'frame the selected layer; on the bench, the asset'],
    ['Home', 'frame the whole scene'],
    ['L', 'contour lines: none, 1 m, 5 m'],
    ['H', 'hide or show the selected layer'],
    ['Delete', 'remove the selected layer, or the corner in hand'],
    ['← →', 'on the strip: the layer before or behind; with Alt: move it'],
    ['Enter', 'while drawing: finish · double click finishes, too'],
    ['Esc', 'leave what you are doing'],
    ['arrows', 'on a ruler: change; Shift fine, Alt coarse; Home, End to its ends · on a handle in the view: move it'],
    ['?', 'this card'],
  ];
</script>

<Modal title="Keys" bind:open={app.keysShown} size="sm" class="bg-leaf text-ink">
  <p class="text-soft">In the view: left drag turns, right drag pans, the wheel zooms to the pointer.</p>
  <table class="w-full text-[13px]">
    <tbody>
      {#each keys as [key, what] (key)}
        <tr class="border-t border-line"><td class="w-32 py-1.5"><span class="key">{key}</span></td><td>{what}</td></tr>
      {/each}
    </tbody>
  </table>
</Modal>
