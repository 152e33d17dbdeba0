/** What the service says of kinds of layer. */
import { standing } from '../state/values';
import type { Kind, Layer, LayerView, Row } from '../api/client';
import { app } from '../state/app.svelte';
import { big } from '../state/values';

/** What the service says of a kind. */
export function kindOf(name: string): Kind | undefined {
  return app.layers.find((k) => k.name === name);
}

export function rowsOf(name: string): Row[] {
  return kindOf(name)?.parameters ?? [];
}

/** What the parameters of a kind are called, by path. */
export function layerTitles(name: string): Map<string, string> {
  return new Map(rowsOf(name).map((r) => [r.path, r.title]));
}

/** Whether every scene has exactly one layer of the kind, in its place. */
export function fixed(kind: string): boolean {
  return (kindOf(kind)?.place ?? 'middle') !== 'middle';
}

/** The parameter that holds points drawn on the ground, where the kind has one. */
export function drawn(kind: string): Row | undefined {
  return rowsOf(kind).find((r) => r.control === 'points');
}

/** The parameter that holds outlines cut out of it, where the kind has one. */
export function holesOf(kind: string): Row | undefined {
  return rowsOf(kind).find((r) => r.control === 'rings');
}

/** The parameter that holds what is painted on it by brush, where the kind has one. */
export function strokesOf(kind: string): Row | undefined {
  return rowsOf(kind).find((r) => r.control === 'strokes');
}

/** The parameter that holds what was done by hand to single placements, where the kind has one. */
export function touchesOf(kind: string): Row | undefined {
  return rowsOf(kind).find((r) => r.control === 'touches');
}

/** The parameter that holds what is set down by hand, where the kind has one. */
export function placedOf(kind: string): Row | undefined {
  return rowsOf(kind).find((r) => r.control === 'placed');
}

/** In place of a kind to be drawn: a hole in the layer that is selected. */
export const HOLE = '#hole';

/** The parameter that holds the assets that it bears, where the kind has one. */
export function mixOf(kind: string): Row | undefined {
  return rowsOf(kind).find((r) => r.control === 'mix');
}

/** Layers that give a facet; a `thing` is what stands on the ground, placed or made. */
export function giving(layers: Layer[], facet: string): Layer[] {
  const things = (gives: string[]) =>
    !gives.includes('surface') && (gives.includes('placements') || gives.includes('solids'));
  return layers.filter((l) => {
    const gives: string[] = kindOf(l.kind)?.gives ?? [];
    return facet === 'thing' ? things(gives) : gives.includes(facet);
  });
}

/** What a layer came to, in a word. */
export function amount(view: LayerView): string {
  if (view.placements) return standing(view.placements);
  if (view.surface) return `${view.surface.size.toLocaleString('en')} m`;
  if (view.curves?.length) return `${Math.round(view.curves.reduce((sum, c) => sum + c.length, 0))} m`;
  if (view.regions?.length) return `${big(Math.round(view.regions.reduce((sum, r) => sum + r.area, 0)))} m²`;
  if (view.solids?.length) return view.solids.length.toLocaleString('en');
  return '';
}
