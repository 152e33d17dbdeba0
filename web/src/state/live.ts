/** Which parameters do something as the others stand; the rest are not shown. */
import type { Row, Values } from '../api/client';
import { read } from './values';

const LUMPS = [
  'leaves',
  'leaf_form',
  'leaf_count',
  'leaf_orders',
  'leaf_bare',
  'leaf_cluster',
  'leaf_clusters',
  'leaf_seed',
];
/** A parameter that is zero, or off, silences those beside it whose names begin so. */
const SILENT: [string, RegExp][] = [
  ['moss', /^moss_/],
  ['roots', /^root_/],
  ['lobes', /^lobe_/],
  ['teeth', /^teeth_/],
  ['tears', /^tear_/],
  ['leaf_cluster', /^leaf_clusters$/],
  ['season', /^season_/],
  ['heads', /^(head_|opened|petal_|middle_|side_|face)/],
];

export function live(kind: string, row: Row, p: Values): boolean {
  const { path, group } = row;
  const [head = '', last = path] = path.includes('.') ? path.split('.') : ['', path];
  const beside = (name: string) => read(p, head ? `${head}.${name}` : name);
  for (const [by, silenced] of SILENT) if (silenced.test(last) && Number(beside(by) ?? 1) === 0) return false;
  if (path.startsWith('leaf.')) {
    if (['length', 'variation'].includes(last)) return false; // the bearer says how long its leaves are
    if (p.leaf_asset) return false;
    if (p.leaf_form === 'lumps') return ['blade_color', 'tip_color'].includes(last);
    if (last === 'texture_size') return p.leaf_form !== 'cards';
  }
  if (row.section === 'Leaflets' && beside('form') === 'simple') return false;
  if ('leaf_form' in p && group === 'Leaves') {
    if (path.startsWith('lump')) return p.leaf_form === 'lumps';
    if (p.leaf_form === 'lumps') return LUMPS.includes(path);
    if (path.startsWith('sprig_') || ['leaf_aspect', 'leaf_fold'].includes(path)) return p.leaf_form === 'cards';
  }
  if (kind === 'tree') {
    const guided = (p.guide as unknown[] | undefined)?.length && p.stems === 1;
    if (guided && ['lean', 'crookedness', 'twist', 'straighten'].includes(path)) return false;
    if (path === 'spread') return Number(p.stems) > 1;
    if (path === 'leaf_orders') return p.growth === 'orders';
    if (path === 'crown_profile') return p.growth !== 'orders' && !(p.crown_form as unknown[]).length;
    if (group === 'Crown' && path !== 'growth') return p.growth !== 'orders';
    if (group === 'Branching' && head && p.growth === 'crown') return false;
    if (group === 'Branching' && head && p.growth === 'mixed' && head !== 'first') return false;
    if (group === 'Branching' && head && !['count', 'per_metre'].includes(last))
      return Number(beside('count')) > 0 || Number(beside('per_metre')) > 0;
  }
  if (kind === 'shrub') {
    if (['profile', 'line'].includes(path)) return p.body === 'hedge';
    if (path === 'form') return p.body === 'own';
    if (path === 'depth') return p.body !== 'hedge';
    if (path === 'rounded') return p.body === 'box' || p.body === 'tube';
    if (path === 'overshoot') return p.growth === 'loose';
  }
  if (kind === 'plant') {
    if (group === 'Tiers' && last !== 'leaves') return Number(beside('leaves')) > 0;
    if (group === 'Heads' && path !== 'head' && p.head === 'none') return false;
  }
  return true;
}
