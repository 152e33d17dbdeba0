/** The files of a release, and what its manifest tells of them: all that a game would have. */

export interface Counts {
  instances: number;
  triangles: number;
  colliders: number;
  lamps: number;
  meshes: number;
}

export interface Tile {
  path: string;
  level: number;
  bounds: [west: number, north: number, east: number, south: number];
  instances: number;
  triangles: number;
}

import type { Profile } from '../api/client';

export interface Manifest {
  scene: string;
  /** What it was made for. */
  profile?: Profile;
  counts: Counts;
  viewpoints?: { name: string; eye: [number, number, number]; target: [number, number, number] }[];
  assets: {
    asset: string;
    name: string;
    seed: number;
    mirrored?: boolean;
    triangles: number[];
    switch_distances: number[];
  }[];
  tiles?: { side: number; levels: number; list: Tile[] };
  files: { path: string; bytes: number }[];
}

export class Files {
  readonly base: string;

  constructor(scene: string, release: number) {
    this.base = `/api/scenes/${encodeURIComponent(scene)}/releases/${release}/files/`;
  }

  private async get(path: string): Promise<Response> {
    const answer = await fetch(this.base + path);
    if (answer.ok) return answer;
    if (answer.status === 401) throw new Error('Sign in first, then open this page again.');
    const told = (await answer.json().catch(() => null)) as { detail?: string } | null;
    throw new Error(told?.detail ?? `${path} could not be read: ${answer.status}`);
  }

  async manifest(): Promise<Manifest> {
    return (await this.get('manifest.json')).json() as Promise<Manifest>;
  }

  /** A file, telling how much of it is there, from 0 to 1. */
  async bytes(path: string, say: (share: number) => void = () => {}): Promise<ArrayBuffer> {
    const answer = await this.get(path);
    const total = Number(answer.headers.get('Content-Length') ?? 0);
    if (!answer.body || !total) return answer.arrayBuffer();
    const out = new Uint8Array(total);
    const reader = answer.body.getReader();
    for (let at = 0; ;) {
      const { done, value } = await reader.read();
      if (done) return out.buffer;
      out.set(value, at);
      at += value.length;
      say(at / total);
    }
  }
}

/** What is drawn of an asset at a distance: the first level whose switching distance is beyond it. */
export function levelAt(distance: number, switches: readonly number[], levels: number): number {
  let level = 0;
  while (level < levels - 1 && distance > (switches[level] ?? Infinity)) level++;
  return level;
}

/** The tiles that are to be there: those within `reach` of a place, and those that are there already within half as much again; the nearest first. */
export function wanted(
  tiles: readonly Tile[],
  there: ReadonlySet<string>,
  x: number,
  z: number,
  reach: number,
): Tile[] {
  const away = ({ bounds: [west, north, east, south] }: Tile) =>
    Math.hypot(Math.max(west - x, 0, x - east), Math.max(north - z, 0, z - south));
  return tiles.filter((t) => away(t) <= (there.has(t.path) ? 1.5 * reach : reach)).sort((a, b) => away(a) - away(b));
}
