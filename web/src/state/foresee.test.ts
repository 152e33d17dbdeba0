import { describe, expect, it } from 'vitest';
import type { Scene } from '../api/client';
import type { Edit } from './editQueue';
import { clashes, foreseen } from './foresee';

const scene = {
  name: 'Fen',
  settings: { sun: { azimuth: 1, elevation: 2 }, viewpoints: [{ id: 'a', name: 'A' }] },
  layers: [
    { id: 'l', name: 'L', hidden: false, parameters: { fill: 5, first: { count: 1, angle: 2 } } },
    { id: 'm', name: 'M', hidden: false, parameters: {} },
  ],
  assets: [{ id: 't', name: 'T', seeds: [1], tags: [], images: {}, parameters: { height: 3 } }],
} as unknown as Scene;

describe('what an edit will come to', () => {
  it('changes the fields that it names, and no others', () => {
    const after = foreseen(scene, { op: 'layer', id: 'l', parameters: { 'first.count': 7 }, hidden: true });
    expect(after.layers[0]).toEqual({
      id: 'l',
      name: 'L',
      hidden: true,
      parameters: { fill: 5, first: { count: 7, angle: 2 } },
    });
    expect(after.layers[1]).toBe(scene.layers[1]);
    expect(scene.layers[0]?.hidden).toBe(false);
  });

  it('adds, changes and removes one element of a list', () => {
    const step = (s: Scene, settings: Record<string, unknown>) => foreseen(s, { op: 'scene', settings });
    const names = (s: Scene) => (s.settings.viewpoints ?? []).map((v) => v.name);
    const two = step(scene, { 'viewpoints#b': { name: 'B' } });
    expect(names(two)).toEqual(['A', 'B']);
    expect(names(step(two, { 'viewpoints#a': { name: 'Z' } }))).toEqual(['Z', 'B']);
    expect(names(step(two, { 'viewpoints#a': null }))).toEqual(['B']);
    expect(two.settings.sun).toEqual(scene.settings.sun);
  });

  it('takes a removed layer away at once', () => {
    expect(foreseen(scene, { op: 'removeLayer', id: 'l' }).layers.map((l) => l.id)).toEqual(['m']);
  });
});

const cases: [string, Edit, (s: Scene) => Scene, boolean][] = [
  [
    'the same number',
    { op: 'layer', id: 'l', parameters: { fill: 9 } },
    (s) => foreseen(s, { op: 'layer', id: 'l', parameters: { fill: 6 } }),
    true,
  ],
  [
    'another number',
    { op: 'layer', id: 'l', parameters: { fill: 9 } },
    (s) => foreseen(s, { op: 'layer', id: 'l', parameters: { 'first.count': 6 } }),
    false,
  ],
  ['the name', { op: 'layer', id: 'l', name: 'X' }, (s) => foreseen(s, { op: 'layer', id: 'l', name: 'Y' }), true],
  [
    'what is hidden',
    { op: 'layer', id: 'l', hidden: true },
    (s) => foreseen(s, { op: 'layer', id: 'l', name: 'Y' }),
    false,
  ],
  ['the seeds', { op: 'asset', id: 't', seeds: [2] }, (s) => foreseen(s, { op: 'asset', id: 't', seeds: [3] }), true],
  ['the tags', { op: 'asset', id: 't', tags: ['x'] }, (s) => foreseen(s, { op: 'asset', id: 't', seeds: [3] }), false],
  [
    'a layer that is gone',
    { op: 'layer', id: 'l', name: 'X' },
    (s) => foreseen(s, { op: 'removeLayer', id: 'l' }),
    true,
  ],
  [
    'another viewpoint',
    { op: 'scene', settings: { 'viewpoints#b': { name: 'B' } } },
    (s) => foreseen(s, { op: 'scene', settings: { 'viewpoints#c': { name: 'C' } } }),
    false,
  ],
  [
    'the same viewpoint',
    { op: 'scene', settings: { 'viewpoints#a': null } },
    (s) => foreseen(s, { op: 'scene', settings: { 'viewpoints#a': { name: 'C' } } }),
    true,
  ],
  ['the sun', { op: 'scene', settings: { sun: 1 } }, (s) => foreseen(s, { op: 'scene', settings: { sun: 2 } }), true],
];

it.each(cases)('tells whether %s clashes', (_, edit, other, clash) => {
  expect(clashes(edit, scene, other(scene))).toBe(clash);
  expect(clashes(edit, scene, scene)).toBe(false);
});
