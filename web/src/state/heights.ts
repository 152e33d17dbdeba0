/** Height maps: brought in, and the ground written as one. */
import { bytes, ApiError, type Heights, type Values } from '../api/client';

export const HEIGHT_FILES = '.png,.tif,.tiff,.raw,.r16';
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

/** The ground in words. */
export function groundText(p: Values): string {
  const size = `${Number(p.size).toLocaleString('en')} m of ground`;
  const [low, high] = (p.heights ?? [0, 0]) as [number, number];
  const form =
    p.made_from === 'level'
      ? `, level at ${Number(p.level)} m`
      : p.made_from === 'heights'
        ? ` from a height map${p.as_told ? '' : `, ${low} to ${high} m high`}`
        : ` with about ${Number(p.relief)} m of relief${Number(p.terrace) ? `, in steps of ${Number(p.terrace)} m` : ''}${p.basin ? ', a flat-bottomed basin' : ''}`;
  return `${size}${form}${p.water ? `, and water at ${Number(p.water_level)} m` : ''}.`;
}

export const GROUND_FORMS = [
  { id: 'tif', title: 'TIFF', line: 'a height map of 32-bit floats, in metres' },
  { id: 'png', title: 'PNG', line: 'a height map of 16 bits, from the lowest to the highest' },
  { id: 'raw', title: 'RAW', line: '16 bits without a header, low byte first' },
  { id: 'glb', title: 'GLB', line: 'a mesh that keeps within 2 cm of the ground' },
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
