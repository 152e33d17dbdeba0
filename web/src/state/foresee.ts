/** What an edit will come to, before the server says so; and whether two edits clash. */
import type { Asset, Layer, Scene, Settings, Values } from '../api/client';
import type { Edit } from './editQueue';
import { read, same, writeAll } from './values';

const PLAIN = ['name', 'hidden', 'locked', 'shadow', 'seeds', 'tags', 'images', 'notes', 'game'] as const;

/** The scene as it will be. */
export function foreseen(scene: Scene, edit: Edit): Scene {
  if (edit.op === 'layer') return { ...scene, layers: scene.layers.map((l) => changed(l, edit)) };
  if (edit.op === 'asset') return { ...scene, assets: scene.assets.map((a) => changed(a, edit)) };
  if (edit.op === 'removeLayer') return { ...scene, layers: scene.layers.filter((l) => l.id !== edit.id) };
  if (edit.op === 'removeAsset') return { ...scene, assets: scene.assets.filter((a) => a.id !== edit.id) };
  if (edit.op === 'scene') {
    const settings = withElements(scene.settings as unknown as Values, edit.settings ?? {});
    return { ...scene, name: edit.name ?? scene.name, settings: settings as unknown as Settings };
  }
  return scene;
}

function changed<T extends Layer | Asset>(item: T, edit: Edit & { id: string; parameters?: Values }): T {
  if (item.id !== edit.id) return item;
  const given = edit as unknown as Values;
  const plain = Object.fromEntries(PLAIN.filter((k) => given[k] !== undefined).map((k) => [k, given[k]]));
  const parameters = edit.parameters ? withChanges(item.parameters, edit.parameters) : item.parameters;
  return { ...item, ...plain, parameters };
}

interface Element {
  id: string;
}

/** Parameters with some of them changed, by dotted names or by elements of lists. */
function withChanges(parameters: Values, changes: Values): Values {
  const [plain, elements] = [false, true].map((e) =>
    Object.fromEntries(Object.entries(changes).filter(([path]) => path.includes('#') === e)),
  ) as [Values, Values];
  return withElements(writeAll(parameters, plain), elements);
}

/** Values with some of them changed; `list#id` names one element of a list, null takes it away. */
function withElements(values: Values, changes: Values): Values {
  let out: Values = { ...values };
  for (const [path, value] of Object.entries(changes)) {
    const [name = '', id] = path.split('#');
    if (id === undefined) {
      out = { ...out, [name]: value };
      continue;
    }
    const list = ((out[name] as Element[] | undefined) ?? []).slice();
    const at = list.findIndex((e) => e.id === id);
    if (value === null) out[name] = list.filter((e) => e.id !== id);
    else {
      list.splice(at < 0 ? list.length : at, at < 0 ? 0 : 1, { ...(value as object), id });
      out[name] = list;
    }
  }
  return out;
}

/** Whether what an edit changes has been changed by another between two states of the scene. */
export function clashes(edit: Edit, before: Scene | null, now: Scene): boolean {
  if (!before) return true;
  if (edit.op === 'scene') {
    if (edit.name !== undefined && before.name !== now.name) return true;
    return Object.keys(edit.settings ?? {}).some((path) => !same(setting(before, path), setting(now, path)));
  }
  if (edit.op === 'move')
    return before.layers.some((l) => l.id === edit.id) && !now.layers.some((l) => l.id === edit.id);
  if (edit.op !== 'layer' && edit.op !== 'asset') return false;
  const list = edit.op === 'layer' ? 'layers' : 'assets';
  const old = before[list].find((x) => x.id === edit.id) as unknown as Values | undefined;
  const new_ = now[list].find((x) => x.id === edit.id) as unknown as Values | undefined;
  if (!old || !new_) return true;
  const given = edit as unknown as Values;
  if (PLAIN.some((k) => given[k] !== undefined && !same(old[k], new_[k]))) return true;
  const [a, b] = [old.parameters as Values, new_.parameters as Values];
  return Object.keys(edit.parameters ?? {}).some((k) => !same(read(a, k), read(b, k)));
}

function setting(scene: Scene, path: string): unknown {
  const [name = '', id] = path.split('#');
  const value = read(scene.settings as unknown as Values, name);
  return id === undefined ? value : (value as Element[] | undefined)?.find((e) => e.id === id);
}
