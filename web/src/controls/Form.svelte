<script lang="ts">
  /** A body measured from a mesh: its outline from two sides, a file to take it from, and the way back. */
  import { Button } from 'flowbite-svelte';
  import { bytes, said, type Row } from '../api/client';
  import FileButton from '../parts/FileButton.svelte';
  let {
    row,
    value,
    disabled = false,
    onchange,
  }: { row: Row; value: number[][]; disabled?: boolean; onchange: (v: number[][]) => void } = $props();
  let note = $state('');
  let bad = $state(false);
  const H = 84;
  const half = H / 2 - 6;

  /** The outline through columns `a` (to the right) and `b` (to the left). */
  function outline(a: number, b: number): string {
    const n = value.length;
    const at = (r: number, k: number) =>
      [(k * half).toFixed(1), (H - 6 - (r / (n - 1)) * (H - 12)).toFixed(1)].join(' ');
    const right = value.map((line, r) => at(r, line[a] ?? 0));
    const left = value.map((line, r) => at(r, -(line[b] ?? 0))).reverse();
    return `M${[...right, ...left].join('L')}Z`;
  }

  async function choose(file: File) {
    note = 'measuring…';
    bad = false;
    try {
      const kind = file.name.split('.').pop()?.toLowerCase() ?? '';
      const answer = await bytes(`/api/bench/form?kind=${encodeURIComponent(kind)}`, { method: 'POST', body: file });
      const found = JSON.parse(new TextDecoder().decode(answer)) as { form: number[][]; height: number; width: number };
      note = `${file.name}: ${found.height.toFixed(2)} m high, ${found.width.toFixed(2)} m wide`;
      onchange(found.form);
    } catch (error) {
      bad = true;
      note = `${file.name}: ${said(error)}`;
    }
  }
</script>

<div class="py-1" data-field={row.path}>
  <div class="mb-1 flex items-baseline justify-between gap-2">
    <span class="font-serif text-[13px] font-semibold" title={row.help}>{row.title}</span>
    <span class="text-[11.5px] text-soft">{value.length ? 'east and south' : 'none'}</span>
  </div>
  {#if value.length}
    <svg
      viewBox="0 0 320 {H}"
      class="w-full rounded border border-line bg-plate"
      role="img"
      aria-label="outlines of the body"
    >
      {#each [[0, 8, 90], [4, 12, 230]] as [a = 0, b = 0, x = 0] (a)}
        <path
          d={outline(a, b)}
          transform="translate({x} 0)"
          fill="var(--moss-tint)"
          stroke="var(--moss)"
          stroke-width="1.6"
        />
      {/each}
    </svg>
  {/if}
  {#if !disabled}
    <div class="mt-1 flex gap-2">
      <FileButton accept=".obj,.glb,.stl,.ply" label="mesh for {row.title}" onfile={choose}
        >Take it from a mesh…</FileButton
      >
      {#if value.length}<Button color="alternative" onclick={() => onchange([])}>Without it</Button>{/if}
    </div>
  {/if}
  {#if note}<p class="mt-1 text-[12px] {bad ? 'text-clay' : 'text-soft'}" role={bad ? 'alert' : 'status'}>
      {note}
    </p>{/if}
</div>
