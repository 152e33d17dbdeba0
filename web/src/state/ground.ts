/** Height maps: brought in, and the ground written as one. */
import { bytes, ApiError, type Heights, type Model, type Taken, type Values } from '../api/client';
import { metres, readMeshes } from './meshes';

/** What a ground can be made from. */
export const GROUND_FILES = '.png,.tif,.tiff,.raw,.r16,.glb,.obj,.stl,.ply,.mtl,.jpg,.jpeg';
export const IMAGES = '.png,.tif,.tiff';
const MESHES = /\.(glb|obj|stl|ply)$/i;
const MOST_BYTES = 100_000_000; // the service's limit, told before anything is sent

export async function readHeights(file: File, signal: AbortSignal): Promise<Heights> {
  if (file.size > MOST_BYTES)
    throw new Error(`the file has ${(file.size / 1e6).toFixed(0)} MB; at most ${MOST_BYTES / 1e6} MB are taken`);
  const body = new FormData();
  body.append('file', file, file.name);
  const answer = await bytes('/api/bench/heights', { method: 'POST', body, signal });
  return JSON.parse(new TextDecoder().decode(answer)) as Heights;
}

/** What was read, in a line. */
export function toldOf(h: Heights): string {
  const range = h.metres ? `, ${h.low.toFixed(1)} to ${h.high.toFixed(1)} m` : '';
  const holes = h.holes ? `; ${h.holes.toLocaleString('en')} samples held nothing and take the nearest height` : '';
  return `${h.width} × ${h.height}, ${h.told}${range}${holes}`;
}

/** A ground to begin with, and what it was made from, in a line. */
export interface Begun {
  parameters: Values;
  told: string;
}

export const ofHeights = (h: Heights): Begun => ({ parameters: h.parameters, told: toldOf(h) });

/** A ground made of a mesh: in its unit, upright; what can be mended unasked is. */
export function ofMesh(m: Model): Begun {
  if (m.error) throw new Error(m.error);
  const unit = String(m.parameters.unit ?? 'm');
  const up = String(m.parameters.up ?? 'y');
  const outwards = m.faults.some((f) => f.advised && 'mend.outwards' in f.mend);
  const [x, y, z] = m.sizes[unit] ?? [0, 0, 0];
  const size = `${metres(x)} × ${metres(up === 'z' ? y : z)} m, ${metres(up === 'z' ? z : y)} m high`;
  return {
    // without images it looks better as ground does
    parameters: { made_from: 'mesh', mesh: m.hash, unit, up, outwards, dressed: m.images ? 'own' : 'classes' },
    told: `${m.triangles.toLocaleString('en')} triangles, ${size}`,
  };
}

/** A ground made from files: a height map, or a mesh with what lies beside it. */
export async function readGround(files: readonly File[], signal: AbortSignal): Promise<Begun> {
  const [first] = files;
  if (!first) throw new Error('no file was chosen');
  if (!files.some((f) => MESHES.test(f.name))) return ofHeights(await readHeights(first, signal));
  const [mesh] = await readMeshes(files, signal);
  if (!mesh) throw new Error('nothing was read');
  return ofMesh(mesh);
}

/** A ground made from what was taken from a library; null: it holds none. */
export function ofTaken(taken: Taken): Begun | null {
  const [mesh] = taken.meshes;
  return taken.heights ? ofHeights(taken.heights) : mesh ? ofMesh(mesh) : null;
}

/** The ground in words. */
export function groundText(p: Values): string {
  const water = p.water ? `, and water at ${Number(p.water_level)} m` : '';
  if (p.made_from === 'mesh') return `Ground made of a mesh${water}.`;
  const size = `${Number(p.size).toLocaleString('en')} m of ground`;
  const [low, high] = (p.heights ?? [0, 0]) as [number, number];
  const form =
    p.made_from === 'level'
      ? `, level at ${Number(p.level)} m`
      : p.made_from === 'heights'
        ? ` from a height map${p.as_told ? '' : `, ${low} to ${high} m high`}`
        : ` with about ${Number(p.relief)} m of relief${Number(p.terrace) ? `, in steps of ${Number(p.terrace)} m` : ''}${p.basin ? ', a flat-bottomed basin' : ''}`;
  return `${size}${form}${water}.`;
}

export const GROUND_FORMS = [
  { id: 'tif', title: 'TIFF', line: 'a height map of 32-bit floats, in metres' },
  { id: 'png', title: 'PNG', line: 'a height map of 16 bits, from the lowest to the highest' },
  { id: 'raw', title: 'RAW', line: '16 bits without a header, low byte first' },
  { id: 'glb', title: 'GLB', line: 'a mesh that keeps within 2 cm of the ground, coloured by its classes' },
  { id: 'zip', title: 'Splat maps', line: 'the shares of the ground classes as PNGs, four in each' },
] as const;

/** The ground as a file, and what one must know to read it. */
export async function writeGround(scene: string, form: string, signal: AbortSignal): Promise<[Blob, string]> {
  const answer = await fetch(`/api/scenes/${scene}/ground?format=${form}`, { signal });
  if (!answer.ok) {
    const problem = (await answer.json().catch(() => ({}))) as { detail?: string };
    throw new ApiError(answer.status, 'Failed', problem.detail ?? `the server answered ${answer.status}`);
  }
  return [await answer.blob(), answer.headers.get('X-Told') ?? ''];
}
