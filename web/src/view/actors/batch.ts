/** One variant's levels of detail, with lists of the instances that are seen at each. */
import * as THREE from 'three';
import { sharpFrom } from '../dome';
import type { LoadedMesh } from '../glb';
import { fade, freeMany, many, WORDS } from '../instances';
import { numberedDraw } from '../numbers';
import type { Cell } from './cells';

const LOW = 1.3; // metres; of what is no taller, the farthest level casts no shadow
const BAND = 0.08; // of the distance at which a level gives way; within it, both are seen in part

type Many = THREE.Mesh<THREE.InstancedBufferGeometry>;

interface Level {
  until: number;
  meshes: Many[];
  numbered: { mesh: Many; number: THREE.ShaderMaterial }[]; // those that tell which instance is seen
  list: THREE.InstancedBufferAttribute;
  filled: number;
  shades: Uint32Array[]; // of what is not seen at this level, but casts its shadow at it
  shaded: number;
}

/** A level that is drawn in the picture at hand, and up to where. */
interface Step {
  level: number;
  until: number;
}

export class Batch {
  readonly levels: Level[];
  private steps: Step[] = []; // nearest first
  private casts = true;

  constructor(
    private readonly group: THREE.Group,
    readonly key: string,
    private readonly loaded: (LoadedMesh | null)[], // by level; those of null are still to come
    untils: number[],
    private readonly height: number,
    private room: number,
  ) {
    this.levels = untils.map((until) => ({
      until,
      meshes: [],
      numbered: [],
      list: new THREE.InstancedBufferAttribute(new Uint32Array(0), WORDS),
      filled: 0,
      shades: [],
      shaded: 0,
    }));
    this.build();
  }

  /** Make room for `count` instances. */
  reserve(count: number) {
    if (count <= this.room) return;
    this.room = Math.ceil(count * 1.3);
    this.dispose();
    this.build();
  }

  /** Whether what is drawn throws shadows. */
  throwShadows(casts: boolean) {
    if (casts === this.casts) return;
    this.casts = casts;
    this.dispose();
    this.build();
  }

  private build() {
    const finest = this.finestShade;
    this.levels.forEach((level, l) => {
      level.list = new THREE.InstancedBufferAttribute(new Uint32Array(this.room * WORDS), WORDS);
      level.list.setUsage(THREE.DynamicDrawUsage);
      level.meshes = [];
      level.numbered = [];
      for (const { geometry, many: drawn } of this.loaded[l]?.parts ?? []) {
        const lit = this.mesh(level, geometry, drawn.light);
        lit.receiveShadow = true;
        level.numbered.push({ mesh: lit, number: drawn.number });
        const found = drawn.find && this.mesh(level, geometry, drawn.find);
        if (found) found.renderOrder = -1;
        // its material tells whether the shadow is cut out, and the one that lights what was found is not
        const caster = found ?? lit;
        caster.customDepthMaterial = drawn.shadow;
        caster.castShadow = this.casts && l >= finest && (l < this.levels.length - 1 || this.height > LOW);
        caster.onBeforeShadow = () => void (caster.geometry.instanceCount = level.filled + level.shaded);
        caster.onAfterShadow = () => void (caster.geometry.instanceCount = level.filled);
      }
    });
  }

  private mesh(level: Level, geometry: THREE.BufferGeometry, material: THREE.Material): Many {
    const made: Many = new THREE.Mesh(many(geometry, level.list), material);
    made.frustumCulled = false;
    this.group.add(made);
    level.meshes.push(made);
    return made;
  }

  /** The finest level that casts shadows: the nearest is not seen in them. */
  get finestShade() {
    const first = this.loaded.findIndex(Boolean);
    return Math.max(first, Math.min(1, this.levels.length - 1));
  }

  /** The last level that still has the shape; null where only pictures of it are there. */
  get shape(): LoadedMesh | null {
    return this.loaded.findLast((mesh) => mesh && !mesh.parts[0]?.dome) ?? null;
  }

  /**
   * Set up for a picture: `lowest` is the finest level that is wanted, `pixels` how many of the view a radian covers. A card
   * that faces the eye stands in as soon as it is sharp: it looks better than the coarsest mesh.
   */
  begin(lowest: number, pixels: number) {
    const last = this.levels.length - 1;
    const dome = this.loaded[last]?.parts[0]?.dome;
    const sharp = dome ? sharpFrom(dome, pixels) : Infinity;
    this.steps = [];
    this.levels.forEach(({ until }, level) => {
      const before = this.steps.at(-1)?.until ?? 0;
      const end = level === last ? Infinity : level === last - 1 ? Math.min(until, sharp) : until;
      if (this.loaded[level] && level >= Math.min(lowest, last) && end > before) this.steps.push({ level, until: end });
    });
    for (const level of this.levels) {
      level.filled = level.shaded = 0;
      level.shades = [];
    }
  }

  /** The step of `steps` at a distance, and how much of it is there; the rest is of the next step. */
  at(distance: number): [step: number, share: number] {
    const last = this.steps.length - 1;
    let s = 0;
    while (s < last && distance >= (this.steps[s] as Step).until * (1 + BAND)) s++;
    const { until } = this.steps[s] as Step;
    if (s === last || distance <= until * (1 - BAND)) return [s, 1];
    return [s, (1 + BAND - distance / until) / (2 * BAND)];
  }

  levelOf(step: number): number {
    return (this.steps[step] as Step).level;
  }

  add(cell: Cell, l: number, from: number, count: number) {
    const level = this.levels[l] as Level;
    level.list.array.set(cell.list.subarray(from * WORDS, (from + count) * WORDS), level.filled * WORDS);
    level.filled += count;
  }

  /** Add one instance of which only a share is seen: `rest` where it takes the place of what goes. */
  addPart(cell: Cell, l: number, k: number, share: number, rest: boolean) {
    this.add(cell, l, k, 1);
    const level = this.levels[l] as Level;
    fade(level.list.array as Uint32Array, level.filled - 1, share, rest);
  }

  shade(cell: Cell, l: number, from: number, count: number) {
    const level = this.levels[l] as Level;
    level.shades.push(cell.list.subarray(from * WORDS, (from + count) * WORDS));
    level.shaded += count;
  }

  /** Hand the filled lists to the graphics card. */
  finish() {
    for (const level of this.levels) {
      const all = level.filled + level.shaded;
      for (const made of level.meshes) {
        made.geometry.instanceCount = level.filled;
        made.visible = all > 0;
      }
      if (!all) continue;
      const { list } = level;
      let at = level.filled * WORDS;
      for (const part of level.shades) {
        list.array.set(part, at);
        at += part.length;
      }
      list.clearUpdateRanges();
      list.addUpdateRange(0, all * WORDS);
      list.needsUpdate = true;
    }
  }

  /** Draw the instances in their numbers, from `from` on; gives how many there are. */
  number(from: number, draws: THREE.Mesh[]): number {
    let next = from;
    for (const level of this.levels) {
      if (!level.filled) continue;
      for (const { mesh, number } of level.numbered) {
        draws.push(numberedDraw(mesh.geometry, number, next));
      }
      next += level.filled;
    }
    return next - from;
  }

  /** How many instances are seen. */
  get filled(): number {
    return this.levels.reduce((sum, level) => sum + level.filled, 0);
  }

  /** The list and the row in it of the instance with a number, told from the first of this batch. */
  numbered(number: number): { list: Uint32Array; row: number } | null {
    let row = number;
    for (const { filled, list } of this.levels) {
      if (row < filled) return { list: list.array as Uint32Array, row };
      row -= filled;
    }
    return null;
  }

  dispose() {
    for (const level of this.levels)
      for (const made of level.meshes) {
        made.removeFromParent();
        freeMany(made.geometry);
      }
  }
}
