/** What the manifest of a release tells. */
import type { Release } from '../api/client';

/** East and south in tiles, instances, triangles. */
export type WeightTile = [x: number, z: number, instances: number, triangles: number];

export interface Manifest {
  counts: { instances: number; triangles: number; meshes: number; colliders: number; lamps?: number };
  weight?: {
    layers: Record<string, { instances: number; triangles: number }>;
    side: number;
    tiles: WeightTile[];
  };
  layers: { id: string; name: string; key: string; placements: number }[];
  assets: {
    asset: string;
    name: string;
    seed: number;
    mirrored?: boolean;
    triangles: number[];
    sheet?: { turned: number; plain: number; missed: number; off: number };
    collider?: { bodies: number; cover: number; volume: number | null };
  }[];
  files: { path: string; bytes: number }[];
}

export const manifestOf = (r: Release) => r.manifest as unknown as Manifest | null;

/** Folders and files, the heaviest first. */
export function weights({ files }: Manifest): [string, number][] {
  const total = new Map<string, number>();
  for (const f of files) {
    const name = f.path.includes('/') ? `${f.path.split('/', 1)[0]}/` : f.path;
    total.set(name, (total.get(name) ?? 0) + f.bytes);
  }
  return [...total].sort((a, b) => b[1] - a[1]);
}

/** How well colliders stand for an asset, in words; nothing where it has none. */
export function colliderWords(collider: Manifest['assets'][number]['collider']): string {
  if (!collider) return '';
  const { bodies, cover, volume } = collider;
  const room = volume === null ? '' : `, ${volume.toFixed(2)} x its volume`;
  return `${bodies} ${bodies === 1 ? 'body' : 'bodies'} over ${Math.round(cover * 100)} % of it${room}`;
}

/** How near an asset's own maps come, in words; nothing where it has none. */
export function sheetWords(sheet: Manifest['assets'][number]['sheet']): string {
  if (!sheet) return '';
  return `normals ${sheet.turned.toFixed(1)}° off with maps of its own, ${sheet.plain.toFixed(1)}° without`;
}

/** The colour of a share of the most, from nothing over moss to clay. */
export function heavy(share: number): string {
  const s = Math.min(1, Math.max(0, share));
  if (s < 0.5) return `color-mix(in oklab, var(--moss) ${Math.round(20 + 160 * s)}%, var(--paper))`;
  return `color-mix(in oklab, var(--clay) ${Math.round(200 * (s - 0.5))}%, var(--moss))`;
}
