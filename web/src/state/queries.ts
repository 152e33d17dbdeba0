/** What is read from the server as it stands, and shared by all who show it. */
import { keepPreviousData, QueryClient } from '@tanstack/svelte-query';
import {
  api,
  ApiError,
  take,
  type Origin,
  type Preset,
  type Revision,
  type SceneCard,
  type StripMap,
  type Way,
} from '../api/client';

/** Refusals are final; a server that is away is asked again. */
const again = (failures: number, error: Error) =>
  failures < 2 && !(error instanceof ApiError && error.status >= 400 && error.status < 500);

export const queries = new QueryClient({ defaultOptions: { queries: { retry: again, staleTime: 1000 } } });

const DRAWING = 120_000; // milliseconds that a new scene may wait for its picture
const BAKING = ['queued', 'running', 'stopping'];

const isDrawn = (c: SceneCard) => !c.picture && Date.now() - Date.parse(c.updated) < DRAWING;

export const scenesQuery = () => ({
  queryKey: ['scenes'],
  queryFn: () => take<SceneCard[]>(api.GET('/api/scenes')),
  // while something is baked, or a card waits for its picture
  refetchInterval: ({ state }: { state: { data?: SceneCard[] } }) =>
    state.data?.some((c) => BAKING.includes(c.release?.state ?? '') || isDrawn(c)) ? 2000 : (false as const),
});

export const presetsQuery = (wanted: boolean) => ({
  queryKey: ['presets'],
  queryFn: () => take<Preset[]>(api.GET('/api/bench/presets')),
  staleTime: Infinity,
  enabled: wanted,
});

export const revisionsQuery = (scene: string, asset: string) => ({
  queryKey: ['revisions', scene, asset],
  queryFn: () =>
    take<Revision[]>(
      api.GET('/api/scenes/{scene_id}/assets/{asset_id}/revisions', {
        params: { path: { scene_id: scene, asset_id: asset } },
      }),
    ),
});

export const waysQuery = (kind: string, wanted: boolean) => ({
  queryKey: ['ways', kind],
  queryFn: () => take<Way[]>(api.GET('/api/ways/{kind}', { params: { path: { kind } } })),
  staleTime: Infinity,
  enabled: wanted,
});

/** What a file was called that somebody brought along. */
export const fileQuery = (hash: string) => ({
  queryKey: ['file', hash],
  queryFn: () => take<{ file: string }>(api.GET('/api/bench/meshes/{name}', { params: { path: { name: hash } } })),
  enabled: Boolean(hash),
  staleTime: Infinity,
});

/** The paths that a layer runs along, made straight, after so many edits of the scene: what is only tried out is not in them. */
export const stripsQuery = (scene: string, layer: string, edits: number) => ({
  queryKey: ['strips', scene, layer, edits],
  queryFn: () =>
    take<StripMap[]>(
      api.GET('/api/scenes/{scene_id}/layers/{layer_id}/strips', {
        params: { path: { scene_id: scene, layer_id: layer } },
      }),
    ),
  placeholderData: keepPreviousData,
  staleTime: Infinity,
});

/** Whether there is an asset library to take from. */
export const libraryQuery = () => ({
  queryKey: ['library'],
  queryFn: () => take<{ there: boolean }>(api.GET('/api/library')),
  staleTime: Infinity,
});

/** Where the files of `used` came from that a scene's assets refer to. */
export const originsQuery = (scene: string, used: string[]) => ({
  queryKey: ['origins', scene, ...used],
  queryFn: () => take<Origin[]>(api.GET('/api/scenes/{scene_id}/origins', { params: { path: { scene_id: scene } } })),
  staleTime: 60_000,
  enabled: used.length > 0,
  placeholderData: keepPreviousData,
});

/** The asset that a preset begins: three seeds of its numbers. */
export function recipeOf(p: Preset) {
  return { kind: p.kind, name: p.title, parameters: p.parameters, seeds: [p.seed, p.seed + 1, p.seed + 2], tags: [] };
}
