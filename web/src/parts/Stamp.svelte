<script lang="ts">
  /** The line drawing of a kind of layer or asset, in one colour. */
  let { kind, size = 44, color = 'var(--moss)' }: { kind: string; size?: number; color?: string } = $props();
  const drawings: Record<string, string> = {
    ground: 'M3 34h42M6 34c5-9 8-14 12-14 5 0 6 8 10 8 3 0 4-9 8-9 3 0 4 7 7 15M14 26c2-2 4-3 6-1M33 25c1-2 3-2 5 0',
    path: 'M8 38c0-8 12-8 14-14s-4-8 2-12 12-4 16-6M14 39c1-7 12-7 14-14s-3-7 3-10 8-3 11-4M24 34l3-1M30 20l3-1',
    area: 'M9 33 14 13l19-4 8 20-17 9zM9 33h0M14 13h0M33 9h0M41 29h0M24 38h0M17 29l4-9M24 31l5-15M32 28l3-9',
    scatter:
      'M15 36V24M15 24c-5 0-8-3-8-7s3-8 8-8 8 4 8 8-3 7-8 7zM33 38V28M33 28c-4 0-7-3-7-6s3-7 7-7 7 4 7 7-3 6-7 6zM6 38h36M12 17c1-2 3-3 5-2M30 22c1-2 3-2 4-1',
    along:
      'M4 42c8-2 14-6 19-13S34 14 44 10M12 30V18M12 18c-2 0-3-2-3-4s1-4 3-4 3 2 3 4-1 4-3 4zM25 19V8M25 8c-2 0-3-1-3-3M35 36V26M35 26c-2 0-3-2-3-4s1-4 3-4 3 2 3 4-1 4-3 4z',
    bake: 'M24 8 39 16v16l-15 8-15-8V16zM9 16l15 8 15-8M24 24v16',
    tree: 'M24 41V25M24 32l-5-4M24 29l5-4M24 25c-8 0-13-4-13-10S17 6 24 6s13 3 13 9-5 10-13 10zM15 41h18M17 14c2-3 5-4 8-3M27 19c2 0 4-1 5-3',
    tuft: 'M24 40c0-12-2-22-8-28M24 40c0-14 1-24 4-31M24 40c-2-9-7-15-14-17M24 40c2-10 6-16 14-19M24 40c1-8 4-22 11-26M14 40h20',
    leaf: 'M9 40c4-4 6-6 9-9M18 31c-6-9 0-22 22-24 1 20-10 30-22 24zM18 31C24 24 29 19 35 13M24 24l-1-6M29 19l7 0M21 28l8 0',
    plant:
      'M24 42V16M24 34c-6 1-11-2-14-8 7-1 12 2 14 8zM24 30c6 1 10-2 13-8-7-1-11 2-13 8zM24 16c-3-1-5-3-5-6 2 0 4 1 5 3 1-2 3-3 5-3 0 3-2 5-5 6zM24 13V8',
    shrub:
      'M6 40h36M12 40c-5-3-6-9-3-13-1-6 4-10 8-9 2-6 12-7 15-1 5-1 9 4 8 9 3 5 1 11-4 14M24 40V28M24 33l-6-5M24 31l6-6M15 24l2 2M32 20l-1 3M19 17l2 2',
    mesh: 'M8 32 14 17 27 10 39 19 41 31 30 39 15 38zM14 17l11 6 14-4M25 23 15 38M25 23l5 16M25 23l16 8',
    demo: 'M5 34c6-3 10-3 14 0s9 3 14 0 7-3 10-1M8 29V18M8 18c-3 0-4-2-4-5 3 0 5 2 4 5zM36 28V12M36 16c3 0 5-2 5-5-3 0-5 2-5 5zM22 28V16M22 19c-3 0-5-2-5-4 3 0 5 1 5 4',
  };
</script>

<svg
  width={size}
  height={size}
  viewBox="0 0 48 48"
  fill="none"
  stroke={color}
  stroke-width="1.9"
  stroke-linecap="round"
  stroke-linejoin="round"
  aria-hidden="true"
>
  <path d={drawings[kind] ?? drawings.scatter} />
</svg>
