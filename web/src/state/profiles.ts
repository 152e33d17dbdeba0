/** The targets that a scene can be made for: Plough's, and those of the scene. */
import type { Profile } from '../api/client';

export interface OwnProfile {
  id: string;
  name: string;
  like: string;
  triangles: number;
  instances: number;
  draw_calls: number;
  megabytes: number;
  [more: string]: unknown;
}

type Settings = { profile: string; profiles?: unknown } | undefined;

export const ownProfiles = (settings: Settings) => (settings?.profiles ?? []) as OwnProfile[];

/** All of them, Plough's first. */
export function profilesOf(known: Profile[], settings: Settings): Profile[] {
  const own = ownProfiles(settings).map((p) => ({
    name: p.id,
    title: p.name,
    triangles: p.triangles,
    instances: p.instances,
    draw_calls: p.draw_calls,
    bytes: p.megabytes * 1_000_000,
    texture: Number(p.texture) || 0,
  }));
  return [...known, ...own];
}

/** The profile that is chosen. */
export const chosenProfile = (known: Profile[], settings: Settings) =>
  profilesOf(known, settings).find((p) => p.name === settings?.profile);

/** A new one, which begins as the one that is chosen. */
export function freshProfile(known: Profile[], settings: Settings): OwnProfile {
  const all = profilesOf(known, settings);
  const like = all.find((p) => p.name === settings?.profile) ?? all[0];
  const own = ownProfiles(settings).find((p) => p.id === like?.name);
  let n = 1;
  while (all.some((p) => p.name === `own-${n}`)) n++;
  return {
    ...(own ?? { like: like?.name ?? 'console' }),
    id: `own-${n}`,
    name: `Own ${n}`,
    like: own?.like ?? like?.name ?? 'console',
    triangles: like?.triangles ?? 2_000_000,
    instances: like?.instances ?? 40_000,
    draw_calls: like?.draw_calls ?? 900,
    megabytes: Math.max(1, Math.round((like?.bytes ?? 256e6) / 1e6)),
  };
}

/** The edit that takes one away; where it is chosen, what it was like is chosen instead. */
export function withoutProfile(settings: Settings, id: string): Record<string, unknown> {
  const gone = ownProfiles(settings).find((p) => p.id === id);
  return { ...(settings?.profile === id ? { profile: gone?.like ?? 'console' } : {}), [`profiles#${id}`]: null };
}
