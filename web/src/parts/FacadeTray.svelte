<script lang="ts">
  /** The faces of a building, unrolled and to scale: a cell is chosen and filled, split, its joints dragged; a face is pulled out or given another role. */
  import { Button, Select } from 'flowbite-svelte';
  import { ruled } from '../controls/ruler';
  import RuledSlider from '../controls/RuledSlider.svelte';
  import type { BenchState } from '../state/bench.svelte';
  import {
    byEdge,
    faceName,
    isGable,
    withJoint,
    withPiece,
    withPull,
    withRole,
    withSplit,
    withoutSplits,
    type FaceEdit,
    type Facing,
  } from '../state/facades';

  let {
    bench,
    disabled,
    oninput,
    onchange,
  }: {
    bench: BenchState;
    disabled: boolean;
    oninput: (path: string, value: unknown) => void;
    onchange: (path: string, value: unknown) => void;
  } = $props();
  const TALL = 80; // pixels for what stands
  const FOOT = 15; // below it, for names
  const GAP = 14; // between edges
  const ROLES: Record<string, string> = { front: 'Front', lower: 'Ground floor', upper: 'Upper floor' };
  const faces = $derived((bench.made?.facts.faces ?? []) as Facing[]);
  const pieces = $derived(bench.made?.facts.fillings.pieces ?? []);
  const roles = $derived(bench.made?.facts.fillings.roles ?? []);
  const edits = $derived((bench.parameters.faces ?? []) as FaceEdit[]);
  const edges = $derived(byEdge(faces));
  const top = $derived(Math.max(1, ...faces.map((f) => f.low + f.high)));
  let wide = $state(900);
  const long = $derived(edges.reduce((sum, e) => sum + e.wide, 0));
  const scale = $derived(Math.min((TALL - 4) / top, Math.max(15, (wide - GAP * edges.length - 8) / Math.max(long, 1))));
  const starts = $derived.by(() => {
    let at = 4;
    return edges.map((e) => {
      const own = at;
      at += e.wide * scale + GAP;
      return own;
    });
  });
  const across = $derived((starts.at(-1) ?? 0) + (edges.at(-1)?.wide ?? 0) * scale + 8);
  const y = (up: number) => TALL - up * scale;
  const picked = $derived(bench.picked);
  const face = $derived(faces.find((f) => f.id === picked?.face));
  const cell = $derived(picked ? face?.cells[picked.cell] : undefined);
  const edit = $derived(edits.find((e) => e.id === picked?.face));
  const PULL = ruled({
    path: 'pull',
    title: 'Pulled out',
    hard: [-20, 20],
    soft: [-1, 3],
    unit: 'm',
    step: 0.05,
    start: 0,
  });
  let held = $state<{ face: Facing; cell: number; from: number; start: number } | null>(null);

  const keep = (next: FaceEdit[]) => onchange('faces', next);
  const told = (f: Facing, k: number) => `${faceName(f)}, cell ${k + 1}: ${f.cells[k]?.piece || 'nothing'}`;

  /** Neighbours are reached by arrows: along the storey, and to the one above or below. */
  function key(event: KeyboardEvent, f: Facing, k: number) {
    const row = faces
      .filter((o) => o.storey === f.storey && isGable(o) === isGable(f))
      .flatMap((o) => o.cells.map((_, n) => ({ face: o.id, cell: n })));
    const here = row.findIndex((c) => c.face === f.id && c.cell === k);
    const above = faces.filter((o) => o.edge === f.edge).sort((a, b) => a.low - b.low);
    const over = above[above.indexOf(f) + (event.key === 'ArrowUp' ? 1 : -1)];
    const next =
      event.key === 'ArrowRight'
        ? row[here + 1]
        : event.key === 'ArrowLeft'
          ? row[here - 1]
          : over && ['ArrowUp', 'ArrowDown'].includes(event.key)
            ? { face: over.id, cell: Math.min(k, over.cells.length - 1) }
            : undefined;
    const number = Number(event.key);
    if (next) {
      bench.picked = next;
      document.querySelector<SVGElement>(`[data-cell="${next.face}/${next.cell}"]`)?.focus();
    } else if (event.key === 'Enter' || event.key === ' ') bench.picked = { face: f.id, cell: k };
    else if (!disabled && number >= 1 && pieces[number - 1]) keep(withPiece(edits, f.id, k, pieces[number - 1] ?? ''));
    else if (!disabled && event.key === 'Delete') keep(withPiece(edits, f.id, k, null));
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function grab(event: PointerEvent, f: Facing, k: number) {
    if (disabled) return;
    (event.currentTarget as SVGElement).setPointerCapture(event.pointerId);
    held = { face: f, cell: k, from: event.clientX, start: f.cells[k]?.end ?? 0 };
  }
  const dragged = (event: PointerEvent) =>
    held && withJoint(edits, held.face, held.cell, held.start + (event.clientX - held.from) / scale);
  function drop(event: PointerEvent) {
    const next = dragged(event);
    if (next && held && Math.abs(event.clientX - held.from) > 2) keep(next);
    held = null;
  }
</script>

<div class="flex h-(--tray) gap-3" data-elevation>
  <div class="min-w-0 flex-1 overflow-x-auto rounded-[5px] border border-line bg-plate" bind:clientWidth={wide}>
    <svg width={Math.max(across, wide - 2)} height={TALL + FOOT} role="group" aria-label="elevation, unrolled">
      <line x1="0" x2={Math.max(across, wide)} y1={TALL + 0.5} y2={TALL + 0.5} class="stroke-line" />
      {#each edges as e, n (e.edge)}
        {@const at = starts[n] ?? 0}
        {#each e.faces as f (f.id)}
          <g transform="translate({at} {y(f.low + f.high)})">
            {#each f.cells as c, k (k)}
              {@const on = picked?.face === f.id && picked.cell === k}
              <g
                role="button"
                tabindex={on || (!picked && n === 0 && k === 0) ? 0 : -1}
                aria-label={told(f, k)}
                aria-pressed={on}
                data-cell="{f.id}/{k}"
                class="cursor-pointer outline-none focus-visible:[&>:first-child]:stroke-moss"
                onclick={() => (bench.picked = { face: f.id, cell: k })}
                onkeydown={(event) => key(event, f, k)}
              >
                <polygon
                  points={(isGable(f)
                    ? f.outline
                    : [
                        [c.start, 0],
                        [c.end, 0],
                        [c.end, f.high],
                        [c.start, f.high],
                      ]
                  )
                    .map(([along = 0, up = 0]) => `${along * scale},${(f.high - up) * scale}`)
                    .join(' ')}
                  class="{on
                    ? 'fill-moss-tint stroke-moss'
                    : picked?.face === f.id
                      ? 'fill-leaf stroke-soft'
                      : 'fill-transparent stroke-line'} hover:fill-moss-tint"
                  stroke-width={on ? 1.6 : 0.7}
                />
                {#if c.opening}
                  <rect
                    x={c.opening[0] * scale}
                    y={(f.high - c.opening[3]) * scale}
                    width={(c.opening[1] - c.opening[0]) * scale}
                    height={(c.opening[3] - c.opening[2]) * scale}
                    class="pointer-events-none {c.by_hand
                      ? 'fill-moss/50 stroke-moss'
                      : 'fill-slate/30 stroke-slate/70'}"
                    stroke-width="0.8"
                  />
                {:else if c.by_hand}
                  <circle cx={0.5 * (c.start + c.end) * scale} cy="5" r="2" class="pointer-events-none fill-moss" />
                {/if}
              </g>
            {/each}
            {#if picked?.face === f.id && !disabled}
              {#each f.cells.slice(0, -1) as c, k (k)}
                <rect
                  role="presentation"
                  x={c.end * scale - 3}
                  width="6"
                  height={f.high * scale}
                  class="cursor-ew-resize fill-transparent hover:fill-moss/30"
                  data-joint="{f.id}/{k}"
                  onpointerdown={(event) => grab(event, f, k)}
                  onpointermove={(event) => {
                    const next = dragged(event);
                    if (next) oninput('faces', next);
                  }}
                  onpointerup={drop}
                />
              {/each}
            {/if}
          </g>
        {/each}
        {#if e.wide * scale > 26}
          <text x={at} y={TALL + 11} class="fill-soft text-[10px]"
            ><title>{e.edge}</title>{e.faces[0]?.looks}{e.wide * scale > 84 ? ` · ${e.wide.toFixed(1)} m` : ''}</text
          >
        {/if}
      {/each}
    </svg>
  </div>
  <div class="w-[352px] shrink-0 overflow-y-auto text-[12.5px]" aria-live="polite">
    {#if face && cell && picked}
      {@const now = picked}
      <div class="mb-1 flex items-center gap-2">
        <span class="min-w-0 flex-1 truncate font-serif font-semibold" title={face.edge}
          >{face.looks}, {isGable(face)
            ? `gable over storey ${face.storey + 1}`
            : `storey ${face.storey + 1} · cell ${now.cell + 1} of ${face.cells.length}`}</span
        >
        <Select
          size="sm"
          class="w-40"
          placeholder=""
          aria-label="piece in this cell"
          {disabled}
          items={[
            { value: '*', name: 'as its role has it' },
            { value: '', name: 'nothing' },
            ...pieces.map((p, k) => ({ value: p, name: `${k + 1}  ${p}` })),
          ]}
          value={cell.by_hand ? cell.piece : '*'}
          onchange={(e) => {
            const piece = e.currentTarget.value;
            keep(withPiece(edits, face.id, now.cell, piece === '*' ? null : piece));
          }}
        />
      </div>
      {#if !isGable(face)}
        <RuledSlider
          row={PULL}
          value={face.out}
          {disabled}
          oninput={(v) => oninput('faces', withPull(edits, face.id, v))}
          onchange={(v) => keep(withPull(edits, face.id, v))}
        />
        <div class="mt-1 flex items-center gap-2">
          <Select
            size="sm"
            class="min-w-0 flex-1"
            placeholder=""
            aria-label="role of this face"
            {disabled}
            items={[
              { value: '*', name: edit?.role ? 'role: as its place' : `role: ${ROLES[face.role] ?? face.role}` },
              ...roles.map((r) => ({ value: r, name: ROLES[r] ?? r })),
            ]}
            value={edit?.role ?? '*'}
            onchange={(e) =>
              keep(withRole(edits, face.id, e.currentTarget.value === '*' ? null : e.currentTarget.value))}
          />
          {#if !disabled}
            <Button
              color="alternative"
              size="xs"
              onclick={() => {
                const next = withSplit(edits, face, now.cell);
                if (next) keep(next);
              }}
              disabled={cell.end - cell.start < 0.6}>Split</Button
            >
            {#if edit?.splits?.length}
              <Button color="alternative" size="xs" onclick={() => keep(withoutSplits(edits, face.id))}
                >As the role</Button
              >
            {/if}
          {/if}
        </div>
      {/if}
    {:else}
      <p class="pt-2 text-soft">
        Every face from outside, to scale, storeys over each other. Choose a cell to fill it otherwise, to split it or
        to pull its face out; arrows go from cell to cell, numbers fill.
      </p>
    {/if}
  </div>
</div>
