/** Layers on the clipboard, as text: copied in one scene, put into another. */
import { api, take, type Scene } from '../api/client';

/** A layer with all that it places, as the service gives it out. */
export type Parcel = Record<string, unknown>;

/** The parcel in a text; null where it is none. */
export function parcelIn(text: string): Parcel | null {
  if (!text.trimStart().startsWith('{') || text.length > 4_000_000) return null;
  try {
    const found = JSON.parse(text) as unknown;
    const is = typeof found === 'object' && found !== null && 'plough' in found && 'layers' in found;
    return is ? (found as Parcel) : null;
  } catch {
    return null;
  }
}

export function copyLayer(scene: string, layer: string): Promise<Parcel> {
  const params = { path: { scene_id: scene, layer_id: layer } };
  return take(api.GET('/api/scenes/{scene_id}/layers/{layer_id}/parcel', { params }));
}

export function pasteLayers(scene: string, parcel: Parcel, before: string | null): Promise<Scene> {
  const params = { path: { scene_id: scene }, header: { 'Idempotency-Key': crypto.randomUUID() } };
  return take(api.POST('/api/scenes/{scene_id}/paste', { params, body: { parcel, before } }));
}
