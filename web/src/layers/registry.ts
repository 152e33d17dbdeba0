/** Kinds of layer as the interface knows them: the service's own description, and here only what differs from the default. */
import type { Component } from 'svelte';
import type { Layer, Row } from '../api/client';
import type { Choice } from '../controls/Picker.svelte';
import { giving, strokesOf } from './kinds';
import { bodyLines, type Body } from '../view/bodies';
import type { Flat, Point } from '../view/tools/tool';
import type { SceneStore } from '../state/sceneStore.svelte';
import AirText from './AirText.svelte';
import AlongText from './AlongText.svelte';
import AreaText from './AreaText.svelte';
import BakeSheet from './BakeSheet.svelte';
import ByHandText from './ByHandText.svelte';
import BricksText from './BricksText.svelte';
import BrushText from './BrushText.svelte';
import ClimberText from './ClimberText.svelte';
import FenceText from './FenceText.svelte';
import GroundText from './GroundText.svelte';
import HedgeText from './HedgeText.svelte';
import PathText from './PathText.svelte';
import PileText from './PileText.svelte';
import ScatterText from './ScatterText.svelte';
import StreetText from './StreetText.svelte';
import SurfacesText from './SurfacesText.svelte';
import WallText from './WallText.svelte';

/** What a part of the sheet is given. */
export interface PartProps {
  open: SceneStore;
  layer: Layer;
  rows: Row[];
  disabled: boolean;
  oninput: (path: string, value: unknown) => void;
  onchange: (path: string, value: unknown) => void;
  /** Draw something: points of a kind of layer, or a hole in this one. */
  ondraw: (what: string) => void;
}

export interface LayerUi {
  /** The stamp on its packet; by default that of its kind. */
  stamp?: (layer: Layer, open: SceneStore) => string;
  /** What stands at the top of its sheet: the layer in words. */
  text?: Component<PartProps>;
  /** Takes the place of its numbers. */
  sheet?: Component<PartProps>;
  /** What a new one is called; by default after its kind. */
  called?: string;
  /** A new one's parameters, besides what is drawn or chosen. */
  begin?: (open: SceneStore) => Record<string, unknown>;
  /** What its points are called, one of them and all. */
  point?: string;
  whole?: string;
  /** Its points are set on what stands, not on the ground behind it. */
  onThings?: boolean;
  /** What lies about its points, as lines; by default what it gives is drawn. */
  about?: (layer: Layer, points: Flat[], height: (x: number, z: number) => number) => Point[][];
  /** Whether a brush can be taken to it, besides those whose parameters hold strokes of one. */
  brushed?: boolean;
  /** Whether nothing of it stands but what is painted or set down. */
  painted?: boolean;
}

/** The stamp of the first asset of a mix. */
function ofFirst(layer: Layer, open: SceneStore): string {
  const first = (layer.parameters.mix as { asset: string }[] | undefined)?.[0]?.asset;
  return open.asset(first ?? '')?.kind ?? layer.kind;
}

const SPECIAL: Record<string, LayerUi> = {
  ground: { text: GroundText, brushed: true },
  path: { text: PathText, point: 'point', whole: 'a path' },
  area: { text: AreaText, point: 'corner', whole: 'an area' },
  scatter: {
    text: ScatterText,
    begin: () => ({ spacing: 12, fill: 40 }),
    stamp: ofFirst,
  },
  brush: { text: BrushText, called: 'Painted', painted: true, begin: () => ({ spacing: 1 }), stamp: ofFirst },
  by_hand: { text: ByHandText, called: 'Set by hand', painted: true, stamp: ofFirst },
  along: {
    text: AlongText,
    begin: (open) => ({
      paths: giving(open.scene?.layers ?? [], 'curve')
        .slice(0, 1)
        .map((l) => l.id),
    }),
    stamp: ofFirst,
  },
  street: {
    text: StreetText,
    begin: (open) => ({
      paths: giving(open.scene?.layers ?? [], 'curve')
        .slice(0, 1)
        .map((l) => l.id),
    }),
  },
  climber: {
    text: ClimberText,
    begin: (open) => {
      const layers = open.scene?.layers ?? [];
      // walls rather than what grows
      const found = [...giving(layers, 'thing').slice(-1), ...giving(giving(layers, 'curve'), 'solids').slice(-1)];
      return { on: found.slice(-1).map((l) => l.id) };
    },
    point: 'point',
    whole: 'where a climber starts',
    onThings: true,
    stamp: ofFirst,
  },
  surfaces: {
    text: SurfacesText,
    begin: (open) => ({
      on: giving(open.scene?.layers ?? [], 'placements')
        .slice(-1)
        .map((l) => l.id),
    }),
    stamp: ofFirst,
  },
  air: {
    text: AirText,
    stamp: ofFirst,
    point: 'point',
    whole: 'a body of air',
    about: (layer, points, height) => bodyLines(layer.parameters as unknown as Body, points, height),
  },
  wall: { text: WallText, point: 'point', whole: 'a wall' },
  bricks: { text: BricksText, point: 'point', whole: 'a brick run' },
  fence: { text: FenceText, point: 'point', whole: 'a fence' },
  hedge: { text: HedgeText, point: 'point', whole: 'a hedge', stamp: ofFirst },
  pile: { text: PileText, stamp: ofFirst, point: 'point', whole: 'a pile' },
  bake: { sheet: BakeSheet },
};

const NOTHING: LayerUi = {};

/** Whether a brush can be taken to layers of a kind. */
export const brushed = (kind: string) => Boolean(uiOf(kind).brushed ?? strokesOf(kind));

export function uiOf(kind: string): LayerUi {
  return SPECIAL[kind] ?? NOTHING;
}

/** What a condition of a layer may measure from: layers further left, ground classes, viewpoints. */
export function choicesOf(open: SceneStore, facet: string, layer: string): Choice[] {
  const layers = open.scene?.layers ?? [];
  if (facet === 'class') {
    const classes = open.evaluation?.layers.find((v) => v.surface)?.surface?.classes ?? [];
    return classes.map((c) => ({ id: c.key, name: c.name, stamp: 'ground' }));
  }
  if (facet === 'viewpoint')
    return (open.scene?.settings.viewpoints ?? []).map((v) => ({ id: v.id, name: v.name, stamp: 'ground' }));
  const at = layers.findIndex((l) => l.id === layer);
  const near = facet === 'placements' ? layers.slice(0, at) : layers.filter((l) => l.id !== layer);
  return giving(near, facet).map((l) => ({ id: l.id, name: l.name, stamp: l.kind }));
}

export * from './kinds';
