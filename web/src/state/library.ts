/** What is taken from an asset library, and where an asset's files came from. */
import { api, take, type Asset, type Origin, type Taken, type Values } from '../api/client';

export const takeItem = (scene: string, item: string, signal?: AbortSignal) =>
  take<Taken>(
    api.POST('/api/scenes/{scene_id}/library/{item}', { params: { path: { scene_id: scene, item } }, signal }),
  );

/** The files that an asset is made of and wears, by their hash. */
export function filesOf(asset: Asset): string[] {
  const { source } = asset.parameters as { source?: string };
  return [...new Set([...(source ? [source] : []), ...Object.values(asset.images)])].sort();
}

/** What of an asset changes when its file of `origin` gives way to what was taken in its place; null: nothing fits. */
export function replaced(
  asset: Asset,
  origin: Origin,
  taken: Taken,
): { parameters: Values } | { images: Asset['images'] } | null {
  const mesh = taken.meshes.find((m) => !m.error);
  if ((asset.parameters as { source?: string }).source === origin.file)
    return mesh ? { parameters: { source: mesh.hash } } : null;
  const images = Object.fromEntries(
    Object.entries(asset.images).map(([key, hash]) => [
      key,
      hash === origin.file ? (taken.images[key.slice(key.indexOf('.') + 1)] ?? hash) : hash,
    ]),
  );
  return Object.entries(images).some(([k, h]) => h !== asset.images[k]) ? { images } : null;
}

/** Origins by item, each once: a texture has several files. */
export const byItem = (origins: Origin[]) => [
  ...new Map(origins.map((o) => [`${o.library} ${o.item} ${o.version}`, o])).values(),
];

export const megabytes = (bytes: number) =>
  bytes >= 1e6 ? `${(bytes / 1e6).toFixed(1)} MB` : `${Math.max(1, Math.round(bytes / 1e3))} kB`;
