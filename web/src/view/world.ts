/** The scene in three dimensions: for each layer, an actor for each facet of what it came to. */
import * as THREE from 'three';
import type { Evaluation, Layer, LayerView, Settings } from '../api/client';
import type { Actor, Facet, Frame } from './actors/actor';
import { LinesActor } from './actors/lines';
import { PlacementsActor } from './actors/placements';
import { SolidsActor } from './actors/solids';
import { SurfaceActor } from './actors/surface';
import { look } from './ground';
import { texturesIn, wind } from './materials';
import { nearer, type Hit } from './pick';
import { Stage } from './stage';
import type { Field } from './tools/choose';
import type { Land, Obstacle } from './walker.svelte';
import type { Point, Seat, Spot, Stood } from './tools/tool';
import { warm } from './warm';

const FACETS: Record<string, Facet> = {
  surface: { has: (v) => Boolean(v.surface), make: (stage) => new SurfaceActor(stage) },
  solids: { has: (v) => Boolean(v.solids?.length), make: (stage) => new SolidsActor(stage) },
  placements: { has: (v) => Boolean(v.placements), make: (stage) => new PlacementsActor(stage) },
  lines: { has: (v) => Boolean(v.curves?.length || v.regions?.length), make: () => new LinesActor() },
};

/** What a spot of the view shows: something of a layer, and which of its placements, if it is one. */
export interface Picked {
  layer: string;
  placement: bigint | null;
}

const depthOf = (camera: THREE.Camera, point: THREE.Vector3) =>
  -point.clone().applyMatrix4(camera.matrixWorldInverse).z;

const COARSE = 1.8;

export class World implements Field, Land {
  /** Layers that are in nobody's way. */
  private passable = new Set<string>();
  private readonly actors = new Map<string, Map<string, Actor>>(); // layer, facet
  private contours = 0;
  /** All is seen, if only as it looks from afar. */
  shown = false;
  private syncing = new AbortController();

  constructor(readonly stage: Stage) {
    stage.controls.minDistance = 1;
    stage.coming = stage.empty = true;
    warm(stage, true);
    stage.onPrepare = (coarse) => this.prepare(coarse);
    stage.floor = (x, z) => this.field?.height(x, z) ?? -Infinity;
    stage.shadowAt = () => {
      const d = stage.camera.position.distanceTo(stage.controls.target);
      const ahead = new THREE.Vector3().subVectors(stage.controls.target, stage.camera.position);
      ahead.setLength(Math.min(d, 34));
      return [ahead.add(stage.camera.position), THREE.MathUtils.clamp(d * 3, 160, 420)];
    };
  }

  /**
   * Bring the view in step with an evaluation; what has not changed is left alone. A newer call ends an older one. At first
   * all is shown as it looks from afar, which is there sooner.
   */
  async show(evaluation: Evaluation, layers: Layer[]): Promise<boolean> {
    this.syncing.abort();
    const { signal } = (this.syncing = new AbortController());
    const { stage } = this;
    if (stage.coming) {
      await Promise.all(evaluation.layers.map((view) => this.sync(view, signal, true)));
      await texturesIn();
      if (signal.aborted) return false;
      stage.empty = false;
      this.arrange(evaluation, layers);
      this.shown = true;
      await stage.drawn(); // what is near would only make it late
      warm(stage, false);
      if (signal.aborted) return false;
    }
    await Promise.all(evaluation.layers.map((view) => this.sync(view, signal, false)));
    if (stage.coming) await texturesIn();
    if (signal.aborted) return false;
    stage.coming = stage.empty = false;
    this.arrange(evaluation, layers);
    return true;
  }

  /** Show what is there, and let go of what is not in the evaluation. */
  private arrange(evaluation: Evaluation, layers: Layer[]) {
    const as = new Map(layers.map((l) => [l.id, l]));
    const lets = ({ game }: Layer) => game.colliders === 'none' || game.movement === 'no';
    this.passable = new Set(layers.filter(lets).map((l) => l.id));
    const known = new Set(evaluation.layers.map((l) => l.id));
    for (const [id, own] of this.actors) {
      const layer = as.get(id);
      for (const actor of own.values()) {
        actor.setVisible(!layer?.hidden);
        actor.setShadow?.(layer?.shadow ?? 'casts');
      }
      if (known.has(id)) continue;
      for (const actor of own.values()) actor.dispose();
      this.actors.delete(id);
    }
    this.dress();
    this.stage.refresh();
  }

  private async sync(view: LayerView, signal: AbortSignal, far: boolean) {
    const own = this.actors.get(view.id) ?? new Map<string, Actor>();
    this.actors.set(view.id, own);
    await Promise.all(
      Object.entries(FACETS).map(async ([name, facet]) => {
        let actor = own.get(name);
        if (!facet.has(view)) {
          actor?.dispose();
          own.delete(name);
          return;
        }
        if (!actor) own.set(name, (actor = facet.make(this.stage)));
        await actor.sync(view, signal, far);
      }),
    );
  }

  private all<T extends Actor>(type: new (...args: never[]) => T): T[] {
    return [...this.actors.values()].flatMap((own) => [...own.values()].filter((a) => a instanceof type)) as T[];
  }

  /** What of the layers tells on how the ground looks, and on the air. */
  private dress() {
    const level = this.all(SolidsActor).find((s) => s.waterLevel !== null)?.waterLevel ?? null;
    look(level, this.contours);
    this.stage.atmosphere.stand(this.field?.lowest ?? 0);
    for (const solids of this.all(SolidsActor)) if (this.field) solids.over(this.field);
  }

  get field() {
    return this.all(SurfaceActor)[0]?.field ?? null;
  }

  setContours(metres: number) {
    this.contours = metres;
    this.dress();
    this.stage.refresh();
  }

  setSettings(settings: Settings) {
    const { sun, sky } = settings;
    this.stage.atmosphere.set({ ...sun, ...sky });
    const from = THREE.MathUtils.degToRad(settings.wind.azimuth);
    wind.windForce.value.set(-Math.sin(from) * settings.wind.speed, Math.cos(from) * settings.wind.speed);
    this.stage.refresh();
  }

  private prepare(coarse: boolean) {
    const { camera } = this.stage;
    camera.updateMatrixWorld();
    const frustum = new THREE.Frustum().setFromProjectionMatrix(
      new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse),
    );
    const [centre, reach] = this.stage.shadowAt();
    const shadows = coarse ? null : new THREE.Sphere(centre, Math.min(reach, 70));
    const { pixelsTall, viewTall } = this.stage;
    const shift = coarse ? COARSE : Math.max(1, viewTall / pixelsTall); // a small picture shows less
    const frame: Frame = { camera, frustum, coarse, shift, shadows };
    // what is mirrored in another is filled before it
    const actors = [...this.actors.values()].flatMap((own) => [...own.values()]);
    actors.sort((a, b) => Number(a instanceof SolidsActor) - Number(b instanceof SolidsActor));
    for (const actor of actors) actor.prepare(frame);
  }

  groundAt(spot: Spot): THREE.Vector3 | null {
    return this.field?.hit(this.stage.ray(spot)) ?? null;
  }

  height(x: number, z: number): number {
    return this.field?.height(x, z) ?? 0;
  }

  seatAt(spot: Spot, layer: string, but: (at: Point) => boolean): Seat | null {
    const ray = this.stage.ray(spot);
    let best: Hit | null = null;
    for (const [id, own] of this.actors)
      for (const actor of own.values()) best = nearer(best, actor.pick(ray, true, id === layer ? but : undefined));
    if (!best) return null;
    const { x, z } = best.point;
    return { point: best.point, normal: best.normal ?? this.field?.normal(x, z) ?? new THREE.Vector3(0, 1, 0) };
  }

  standsAt(spot: Spot, layer: string): Stood | null {
    return this.placementsOf(layer)?.stood(this.stage.ray(spot)) ?? null;
  }

  /** What is in the way of one who walks, near a place; what a layer lets through is not. */
  stops(x: number, z: number, reach: number): Obstacle[] {
    return [...this.actors.keys()].flatMap((layer) =>
      this.passable.has(layer) ? [] : (this.placementsOf(layer)?.stops(x, z, reach) ?? []),
    );
  }

  private placementsOf(layer: string): PlacementsActor | null {
    const found = this.actors.get(layer)?.get('placements');
    return found instanceof PlacementsActor ? found : null;
  }

  /** Placements of a layer whose feet are seen at spots that `within` holds. */
  standing(layer: string, within: (spot: Spot) => boolean): Stood[] {
    const { camera, width, height } = this.stage;
    const through = new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse);
    const [p, spot] = [new THREE.Vector3(), { x: 0, y: 0 }];
    const seen = (at: THREE.Vector3) => {
      p.copy(at).applyMatrix4(through);
      [spot.x, spot.y] = [(p.x * 0.5 + 0.5) * width, (0.5 - p.y * 0.5) * height];
      return p.z <= 1 && within(spot);
    };
    return [...(this.placementsOf(layer)?.wanted((_, at) => seen(at)) ?? [])];
  }

  /** Those of some ids, as they stand now. */
  those(layer: string, ids: Set<string>): Stood[] {
    return ids.size ? [...(this.placementsOf(layer)?.wanted((id) => ids.has(`${id}`)) ?? [])] : [];
  }

  /** Those of some assets. */
  alike(layer: string, assets: Set<string>): Stood[] {
    return [...(this.placementsOf(layer)?.wanted((_, __, asset) => assets.has(asset)) ?? [])];
  }

  /** Points a little before the camera that are seen at these spots. */
  spotsOn(spots: Spot[]): Point[] {
    const near = 2 * this.stage.camera.near;
    return spots.map((spot) => this.stage.ray(spot).at(near, new THREE.Vector3()));
  }

  /** What is nearest under a spot of the view, as far as its shape tells; quick, for a pointer that moves. */
  under(spot: Spot): Picked | null {
    const best = this.meet(this.stage.ray(spot), true);
    return best?.layer ? { layer: best.layer, placement: best.placement ?? null } : null;
  }

  /** What is seen at a spot of the view, by the very pixel; bare ground is nobody's. */
  pick(spot: Spot): Promise<Picked | null> {
    return this.stage.between(() => this.seenAt(spot));
  }

  private async seenAt(spot: Spot): Promise<Picked | null> {
    const { stage } = this;
    const solid = this.meet(stage.ray(spot), false);
    const camera = stage.camera.clone();
    // nothing behind what is solid is seen
    if (solid) camera.far = Math.max(2 * camera.near, depthOf(camera, solid.point) + 0.02);
    camera.setViewOffset(stage.width, stage.height, Math.floor(spot.x), Math.floor(spot.y), 1, 1);
    const draws: THREE.Mesh[] = [];
    const numbered: { layer: string; actor: Actor; from: number; count: number }[] = [];
    let from = 1;
    for (const [layer, own] of this.actors)
      for (const actor of own.values()) {
        const count = actor.number?.(from, draws) ?? 0;
        numbered.push({ layer, actor, from, count });
        from += count;
      }
    const number = await stage.renderer.numberAt(draws, camera);
    const found = numbered.find((n) => number >= n.from && number < n.from + n.count);
    if (found) return { layer: found.layer, placement: found.actor.numbered?.(number - found.from) ?? null };
    return solid?.layer ? { layer: solid.layer, placement: null } : null;
  }

  private meet(ray: THREE.Ray, placements: boolean): (Hit & { layer: string | null }) | null {
    let best: (Hit & { layer: string | null }) | null = null;
    for (const [id, own] of this.actors)
      for (const actor of own.values()) {
        if (!placements && actor.number) continue;
        const hit = actor.pick(ray);
        if (hit) best = nearer(best, { ...hit, layer: actor instanceof SurfaceActor ? null : id });
      }
    return best;
  }

  lines(id: string): THREE.Vector3[][] {
    const found = this.actors.get(id)?.get('lines');
    return this.field && found instanceof LinesActor ? found.draped(this.field) : [];
  }

  /** The space that a layer takes up. */
  bounds(id: string): THREE.Box3 {
    const box = new THREE.Box3();
    for (const actor of this.actors.get(id)?.values() ?? []) box.union(actor.bounds());
    return box.isEmpty() ? (this.all(SurfaceActor)[0]?.bounds() ?? box) : box.expandByScalar(3);
  }

  frame(box: THREE.Box3) {
    const centre = box.getCenter(new THREE.Vector3());
    const radius = Math.max(4, box.getSize(new THREE.Vector3()).length() / 2);
    const { camera, controls } = this.stage;
    const away = new THREE.Vector3().subVectors(camera.position, controls.target);
    away.y = Math.max(away.y, away.length() * 0.35);
    away.setLength(radius * 1.5);
    this.stage.look(centre.clone().add(away), centre);
  }

  dispose() {
    this.syncing.abort();
    for (const own of this.actors.values()) for (const actor of own.values()) actor.dispose();
    this.actors.clear();
  }
}
