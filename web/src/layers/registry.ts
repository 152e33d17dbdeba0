/** Kinds of layer as the interface knows them: the service's own description, and here only what differs from the default. */
import type { Component } from 'svelte';
import type { Layer, Row } from '../api/client';
import type { SceneStore } from '../state/sceneStore.svelte';
import AreaText from './AreaText.svelte';
import BakeSheet from './BakeSheet.svelte';
import GroundText from './GroundText.svelte';
import PathText from './PathText.svelte';
import ScatterText from './ScatterText.svelte';

/** What a part of the sheet is given. */
export interface PartProps {
  open: SceneStore;
  layer: Layer;
  rows: Row[];
  disabled: boolean;
  oninput: (path: string, value: unknown) => void;
  onchange: (path: string, value: unknown) => void;
}

export interface LayerUi {
  /** The stamp on its packet; by default that of its kind. */
  stamp?: (layer: Layer, open: SceneStore) => string;
  /** What stands at the top of its sheet: the layer in words. */
  text?: Component<PartProps>;
  /** Takes the place of its numbers. */
  sheet?: Component<PartProps>;
  /** A new one's parameters, besides what is drawn or chosen. */
  begin?: Record<string, unknown>;
  /** What its points are called, one of them and all. */
  point?: string;
  whole?: string;
  /** Whether a brush can be taken to it. */
  brushed?: boolean;
}

const SPECIAL: Record<string, LayerUi> = {
  ground: { text: GroundText, brushed: true },
  path: { text: PathText, point: 'point', whole: 'a path' },
  area: { text: AreaText, point: 'corner', whole: 'an area' },
  scatter: {
    text: ScatterText,
    begin: { spacing: 12, fill: 40 },
    stamp: (layer, open) => {
      const first = (layer.parameters.mix as { asset: string }[] | undefined)?.[0]?.asset;
      return open.asset(first ?? '')?.kind ?? 'scatter';
    },
  },
  bake: { sheet: BakeSheet },
};

const NOTHING: LayerUi = {};

export function uiOf(kind: string): LayerUi {
  return SPECIAL[kind] ?? NOTHING;
}

export * from './kinds';
