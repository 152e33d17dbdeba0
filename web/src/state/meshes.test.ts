import { expect, it } from 'vitest';
import type { Model } from '../api/client';
import { choiceOf, metres, parametersOf, readMeshes, sizeOf, titleOf } from './meshes';

const model: Model = {
  file: 'drift_stone.stl',
  error: '',
  hash: 'abcd',
  parameters: { unit: 'mm', up: 'z' },
  sizes: { m: [1000, 800, 600], mm: [1, 0.8, 0.6] },
  triangles: 1280,
  materials: ['plain'],
  images: 0,
  nodes: ['stone'],
  colliders: 0,
  faults: [
    { text: '3 triangles face inwards', mend: { 'mend.outwards': true }, advised: true },
    { text: '9 open edges, about 1 hole', mend: { 'mend.holes': true }, advised: false },
    { text: 'taken to be in millimetres', mend: {}, advised: false },
  ],
};

it('begins with what seems right and takes no mend that was not advised', () => {
  const choice = choiceOf(model);
  expect(choice).toEqual({ wanted: true, unit: 'mm', up: 'z', mends: [true, false, false] });
  expect(parametersOf(model, choice)).toEqual({ source: 'abcd', unit: 'mm', up: 'z', mend: { outwards: true } });
  choice.mends[1] = true;
  expect(parametersOf(model, choice).mend).toEqual({ outwards: true, holes: true });
  choice.mends = [];
  expect(parametersOf(model, choice)).toEqual({ source: 'abcd', unit: 'mm', up: 'z' });
});

it('does not want what could not be read', () => {
  expect(choiceOf({ ...model, error: 'cut off', faults: [] }).wanted).toBe(false);
});

it('tells width, height and depth in the unit and with the axis that are chosen', () => {
  const choice = choiceOf(model);
  expect(sizeOf(model, choice)).toEqual([1, 0.6, 0.8]);
  expect(sizeOf(model, { ...choice, unit: 'm', up: 'y' })).toEqual([1000, 800, 600]);
  expect(sizeOf(model, { ...choice, unit: 'furlongs' })).toEqual([0, 0, 0]);
  expect([0.0456, 3.14159, 1234.5].map(metres)).toEqual(['0.046', '3.14', '1235']);
});

it('names an asset after its file', () => {
  expect(titleOf('drift_stone-large.v2.glb')).toBe('Drift stone large.v2');
  expect(titleOf('.glb')).toBe('Mesh');
  expect(titleOf(`${'x'.repeat(200)}.ply`)).toHaveLength(80);
});

it('refuses what is too much before anything is sent', async () => {
  const heavy = { name: 'a.glb', size: 60_000_000 } as File;
  await expect(readMeshes([heavy, heavy], new AbortController().signal)).rejects.toThrow(
    '120 MB together; at most 100',
  );
});
