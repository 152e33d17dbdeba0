/** Meshes of one's own: sent to be read, told with what is wrong with them. */
import { bytes, type Model, type Values } from '../api/client';

export const ACCEPTED = '.glb,.obj,.mtl,.stl,.ply,.png,.jpg,.jpeg';
const MOST_BYTES = 100_000_000; // the service's limit, told before anything is sent

/** Have files read; each mesh among them is told, kept or with its error. */
export async function readMeshes(files: readonly File[], signal: AbortSignal): Promise<Model[]> {
  const size = files.reduce((sum, f) => sum + f.size, 0);
  if (size > MOST_BYTES)
    throw new Error(`the files have ${mega(size)} together; at most ${mega(MOST_BYTES)} are taken at once`);
  const body = new FormData();
  for (const file of files) body.append('files', file, file.name);
  const answer = await bytes('/api/bench/meshes', { method: 'POST', body, signal });
  return JSON.parse(new TextDecoder().decode(answer)) as Model[];
}

const mega = (n: number) => `${(n / 1e6).toFixed(0)} MB`;

/** What an asset made of a mesh begins with. */
export interface Choice {
  wanted: boolean;
  unit: string;
  up: string;
  /** By the place of the fault: whether it is to be put right. */
  mends: boolean[];
}

export const choiceOf = (m: Model): Choice => ({
  wanted: !m.error,
  unit: String(m.parameters.unit ?? 'm'),
  up: String(m.parameters.up ?? 'y'),
  mends: m.faults.map((f) => f.advised && Object.keys(f.mend).length > 0),
});

/** The parameters of the asset, nested as they are kept. */
export function parametersOf(m: Model, choice: Choice): Values {
  const out: Values = { source: m.hash, unit: choice.unit, up: choice.up };
  m.faults.forEach((fault, k) => {
    if (!choice.mends[k]) return;
    for (const [path, value] of Object.entries(fault.mend)) {
      const [group, name] = path.split('.') as [string, string];
      out[group] = { ...(out[group] as Values | undefined), [name]: value };
    }
  });
  return out;
}

/** How large it will be, in metres: width, height, depth. */
export function sizeOf(m: Model, { unit, up }: Choice): [number, number, number] {
  const [x, y, z] = m.sizes[unit] ?? [0, 0, 0];
  return up === 'z' ? [x, z, y] : [x, y, z];
}

export const metres = (n: number) => (n >= 100 ? n.toFixed(0) : n >= 1 ? n.toFixed(2) : n.toFixed(3));

export const titleOf = (file: string) => {
  const words = file
    .replace(/\.[^.]*$/, '')
    .replace(/[_-]+/g, ' ')
    .trim();
  return (words.charAt(0).toUpperCase() + words.slice(1)).slice(0, 80) || 'Mesh';
};
