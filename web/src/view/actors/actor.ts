/** Actors: one shows one facet of one layer in the view, of whatever kind the layer is. */
import type * as THREE from 'three';
import type { LayerView, Shadow } from '../../api/client';
import type { Hit } from '../pick';
import type { Stage } from '../stage';
import type { Point } from '../tools/tool';

/** What a picture is about to be drawn with. */
export interface Frame {
  camera: THREE.PerspectiveCamera;
  frustum: THREE.Frustum;
  coarse: boolean; // the camera moves
  shift: number; // by so much further away things are taken to be: less of them is made out
  shadows: THREE.Sphere | null; // where shadows are wanted
}

export interface Actor {
  /**
   * Bring it in step with what the layer came to; what was shown stays until the new is there. `far`: only with what is
   * drawn far away, which is there sooner.
   */
  sync(view: LayerView, signal: AbortSignal, far: boolean): Promise<void>;
  /** The space that it takes up; empty where it shows nothing. */
  bounds(): THREE.Box3;
  /** Whether what it shows throws shadows, or is there for its shadow alone. */
  setShadow?(shadow: Shadow): void;
  /** Where a ray first meets what it shows; of placements those that others can be set down on, but for the ones that `but` leaves out. */
  pick(ray: THREE.Ray, hard?: boolean, but?: (at: Point) => boolean): Hit | null;
  /** Draws of what is seen of its placements, in numbers from `from` on; gives how many those are. */
  number?(from: number, draws: THREE.Mesh[]): number;
  /** The id of the placement with a number, told from its own first. */
  numbered?(number: number): bigint | null;
  /** Before a picture. */
  prepare(frame: Frame): void;
  setVisible(visible: boolean): void;
  dispose(): void;
}

/** Makes the actor of a facet; `has` tells whether a layer's result holds it. */
export interface Facet {
  has(view: LayerView): boolean;
  make(stage: Stage): Actor;
}
