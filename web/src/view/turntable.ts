/** The bench: one asset, or two side by side, on a round plate, beside a person and a ruler. */
import * as THREE from 'three';
import type { Lamp } from '../api/client';
import type { LoadedMesh } from './glb';
import type { Rgb } from './light/scattering';
import { checker, channelMaterial, overdrawMaterial, type Channel } from './looks';
import { wind } from './materials';
import { meets } from './pick';
import { Stage } from './stage';
import type { Spot } from './tools/tool';

export type Look = 'lit' | 'wireframe' | 'normals' | 'checker' | 'collider' | 'overdraw' | Channel;

/** Whether colours tell values, so that light would falsify them. */
export const isData = (look: Look) => !['lit', 'collider', 'wireframe', 'checker'].includes(look);

/** What an asset is shown from. */
export interface Subject {
  mesh: LoadedMesh;
  height: number;
  radius: number;
  collider: { capsules: number[][]; pieces: number[][][]; faces: number[][][] };
  lamps: Lamp[];
}

const DAY = { azimuth: 222, elevation: 38, cover: 0.28, mist: 0.2 };
const EVENING = { ...DAY, elevation: -5 };

const SAND: Rgb = [0.37, 0.34, 0.245]; // what the bench stands on

function person(): THREE.Mesh {
  // 1.8 m: legs, trunk and head turned from one profile
  const profile = [
    [0, 0], [0.13, 0], [0.14, 0.06], [0.115, 0.45], [0.15, 0.86], [0.19, 1.12], [0.225, 1.38], [0.16, 1.47], [0.065, 1.51], [0.062, 1.55],
    [0.1, 1.61], [0.108, 1.69], [0.08, 1.77], [0.03, 1.8], [0, 1.8],
  ].map(([x, y]) => new THREE.Vector2(x, y)); // prettier-ignore
  const mesh = new THREE.Mesh(
    new THREE.LatheGeometry(new THREE.SplineCurve(profile).getPoints(70), 36),
    new THREE.MeshLambertMaterial({ color: '#8d9993' }),
  );
  mesh.scale.z = 0.66;
  mesh.castShadow = mesh.receiveShadow = true;
  return mesh;
}

/** A wide floor that fades into the sky. */
function plate(): THREE.Mesh {
  const material = new THREE.MeshLambertMaterial({ transparent: true });
  material.color.setRGB(...SAND);
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', '#include <common>\nvarying vec2 flatPlace;')
      .replace('#include <begin_vertex>', '#include <begin_vertex>\nflatPlace = position.xz;');
    shader.fragmentShader = shader.fragmentShader
      .replace('#include <common>', '#include <common>\nvarying vec2 flatPlace;')
      .replace('#include <color_fragment>', 'diffuseColor.a = 1.0 - smoothstep(0.25, 1.0, length(flatPlace));');
  };
  const mesh = new THREE.Mesh(new THREE.CircleGeometry(1, 96).rotateX(-Math.PI / 2), material);
  mesh.receiveShadow = true;
  return mesh;
}

function bodies(collider: Subject['collider']): THREE.Object3D[] {
  const material = new THREE.MeshBasicMaterial({
    color: '#c08a2d',
    transparent: true,
    opacity: 0.4,
    depthTest: false,
    depthWrite: false,
  });
  const lines = new THREE.LineBasicMaterial({ color: '#7d5717', depthTest: false });
  const made: THREE.Mesh[] = collider.capsules.map(([ax = 0, ay = 0, az = 0, bx = 0, by = 0, bz = 0, r = 0.1]) => {
    const [a, b] = [new THREE.Vector3(ax, ay, az), new THREE.Vector3(bx, by, bz)];
    const geometry = new THREE.CapsuleGeometry(r, a.distanceTo(b), 4, 12);
    const mesh = new THREE.Mesh(geometry, material);
    mesh.position.copy(a).add(b).multiplyScalar(0.5);
    mesh.quaternion.setFromUnitVectors(new THREE.Vector3(0, 1, 0), b.sub(a).normalize());
    return mesh;
  });
  collider.pieces.forEach((piece, k) => {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute('position', new THREE.Float32BufferAttribute(piece.flat(), 3));
    geometry.setIndex((collider.faces[k] ?? []).flat());
    made.push(new THREE.Mesh(geometry, material));
  });
  return made.map((mesh) => {
    mesh.add(new THREE.LineSegments(new THREE.EdgesGeometry(mesh.geometry, 20), lines));
    return mesh;
  });
}

const HIGHLIGHT = new THREE.MeshBasicMaterial({
  color: '#e8b23a',
  transparent: true,
  opacity: 0.72,
  depthWrite: false,
  polygonOffset: true,
  polygonOffsetFactor: -2,
  polygonOffsetUnits: -2,
  side: THREE.DoubleSide,
});

const GHOST = new THREE.MeshLambertMaterial({
  color: '#5d8fb0',
  transparent: true,
  opacity: 0.34,
  depthWrite: false,
  side: THREE.DoubleSide,
});
const GHOST_EDGES = new THREE.LineBasicMaterial({
  color: '#27526e',
  transparent: true,
  opacity: 0.35,
  depthWrite: false,
});

export class Turntable {
  readonly stage: Stage;
  private readonly subject = new THREE.Group();
  private readonly second = new THREE.Group();
  private readonly marked = new THREE.Group();
  private readonly source = new THREE.Group(); // what a skin was made of
  private readonly floor = plate();
  private readonly man = person();
  private readonly normals = new THREE.MeshNormalMaterial({ side: THREE.DoubleSide });
  private readonly wires = new THREE.MeshBasicMaterial({ color: '#33402c', wireframe: true });
  private readonly checks = checker();
  private readonly bodies: THREE.Object3D[] = []; // of colliders that are shown
  private shown: Subject | null = null;
  private beside: Subject | null = null;
  private passing: Subject | null = null;
  private look: Look = 'lit';
  private framed = false;
  height = 5;
  radius = 2;

  constructor(host: HTMLElement) {
    this.stage = new Stage(host, DAY, SAND);
    this.subject.add(this.marked);
    this.stage.scene.add(this.source, this.subject, this.second, this.floor, this.man);
    this.stage.controls.maxPolarAngle = Math.PI * 0.53;
    this.stage.shadowAt = () => [
      new THREE.Vector3(this.second.position.x * 0.5, this.height * 0.4, 0),
      Math.max(this.height * 0.62, 1.2) + this.wide * 1.1,
    ];
    this.setWind(3, 250);
  }

  /** Half the width in metres of all that stands here. */
  private get wide() {
    return this.beside ? this.radius + this.second.position.x * 0.5 : this.radius;
  }

  /** The light of a day, or of its end, when lamps are lit. */
  setEvening(evening: boolean) {
    this.stage.atmosphere.set(evening ? EVENING : DAY);
    this.stage.refresh();
  }

  /** Metres a second, from `azimuth` degrees clockwise from north; `gusts` from 0 to 1. */
  setWind(speed: number, azimuth: number, gusts = 0.5) {
    const a = THREE.MathUtils.degToRad(azimuth + 180);
    wind.windForce.value.set(Math.sin(a) * speed, -Math.cos(a) * speed);
    wind.windGusts.value = gusts;
    this.stage.refresh();
  }

  /** Show an asset; the camera is set for the first one, and when asked. */
  show(subject: Subject) {
    const old = this.shown;
    this.shown = subject;
    this.arrange();
    if (!this.framed) this.frame();
    if (old && old.mesh !== subject.mesh && old.mesh !== this.beside?.mesh) old.mesh.dispose();
    this.stage.move();
  }

  /** In its place, what it is on the way to become; null shows it again. */
  meanwhile(subject: Subject | null) {
    const old = this.passing;
    this.passing = subject;
    if (subject && !this.shown) {
      this.arrange();
      if (!old) this.frame();
      this.framed = false; // what comes of it is framed
    } else this.fill();
    old?.mesh.dispose();
    this.stage.move();
  }

  /** Another one to its right, under the same camera; null takes it away. */
  hold(subject: Subject | null) {
    const had = this.beside;
    this.beside = subject;
    this.arrange();
    if (!had !== !subject) this.frame();
    if (had && had.mesh !== subject?.mesh && had.mesh !== this.shown?.mesh) had.mesh.dispose();
    this.stage.move();
  }

  /** What an asset was made of, seen through over it; null takes it away. */
  ghost(mesh: LoadedMesh | null) {
    for (const made of this.source.children) if (made instanceof THREE.LineSegments) made.geometry.dispose();
    this.source.clear();
    for (const part of mesh?.parts ?? []) {
      const made = new THREE.Mesh(part.geometry, GHOST);
      made.renderOrder = 2;
      this.source.add(made, new THREE.LineSegments(new THREE.EdgesGeometry(part.geometry, 30), GHOST_EDGES));
    }
    this.stage.refresh();
  }

  private arrange() {
    const [a, b] = [this.shown ?? this.passing, this.beside];
    if (!a) return;
    this.height = Math.max(a.height, b?.height ?? 0);
    this.radius = a.radius;
    this.second.position.x = b ? (a.radius + b.radius) * 1.12 + 0.2 : 0;
    if (b) this.radius = Math.max(a.radius, b.radius);
    this.fill();
    this.floor.scale.setScalar(Math.max(3, this.wide * 7 + this.height * 0.8));
    this.floor.position.x = this.second.position.x * 0.5;
    this.man.position.set(-(a.radius * 1.05 + 0.14 * a.height + 0.5), 0, Math.max(0.1, a.radius * 0.2));
  }

  /** Another asset comes: it is framed when it is there. */
  anew() {
    this.framed = false;
  }

  setLook(look: Look) {
    this.look = look;
    // data stand before an even ground: what is drawn over and over adds up on a dark one
    const data = isData(look);
    this.stage.plain = data;
    this.stage.atmosphere.dome.visible = this.floor.visible = this.man.visible = !data;
    this.stage.scene.background = data ? new THREE.Color(look === 'overdraw' ? '#07090a' : '#5c6b70') : null;
    this.source.visible = !data;
    this.fill();
    this.stage.refresh();
  }

  private fill() {
    this.bodies.splice(0).forEach(free);
    this.put(this.subject, this.passing ?? this.shown);
    this.put(this.second, this.beside);
    this.subject.add(this.marked);
  }

  private put(group: THREE.Group, subject: Subject | null) {
    group.clear();
    const { look } = this;
    this.stage.lamps.set(
      group,
      (subject?.lamps ?? []).map((lamp) => ({
        at: new THREE.Vector3(...lamp.position).add(group.position),
        lamp,
        size: 1,
      })),
    );
    for (const part of subject?.mesh.parts ?? []) {
      const material =
        look === 'wireframe'
          ? this.wires
          : look === 'normals'
            ? this.normals
            : look === 'checker'
              ? this.checks
              : look === 'overdraw'
                ? overdrawMaterial(part.material)
                : look === 'lit' || look === 'collider'
                  ? part.material
                  : channelMaterial(look, part.material);
      const made = new THREE.Mesh(part.geometry, material);
      made.castShadow = made.receiveShadow = true;
      made.customDepthMaterial = part.shadow;
      group.add(made);
    }
    if (look !== 'collider' || !subject) return;
    const made = bodies(subject.collider);
    this.bodies.push(...made);
    group.add(...made);
  }

  /** Light up runs of triangles, each [first, number] over the whole mesh. */
  mark(ranges: [number, number][]) {
    this.marked.children.forEach(free);
    this.marked.clear();
    let before = 0;
    for (const part of this.shown?.mesh.parts ?? []) {
      const count = (part.geometry.index?.count ?? 0) / 3;
      for (const [first, number] of ranges) {
        const from = Math.max(first, before);
        const to = Math.min(first + number, before + count);
        if (to <= from) continue;
        const geometry = new THREE.BufferGeometry();
        for (const [name, attribute] of Object.entries(part.geometry.attributes))
          geometry.setAttribute(name, attribute);
        geometry.setIndex(part.geometry.index);
        geometry.setDrawRange((from - before) * 3, (to - from) * 3);
        const material = HIGHLIGHT.clone();
        material.map = part.material.map;
        material.alphaTest = part.material.alphaTest;
        // of the texture only the outline
        if (material.map)
          material.onBeforeCompile = (shader) => {
            shader.fragmentShader = shader.fragmentShader.replace(
              '#include <map_fragment>',
              'diffuseColor.a *= step(0.45, texture2D(map, vMapUv).a);',
            );
          };
        this.marked.add(new THREE.Mesh(geometry, material));
      }
      before += count;
    }
    this.stage.refresh();
  }

  frame() {
    const { camera, controls } = this.stage;
    const tall = Math.max(this.height * 1.06, 0.12);
    // the person stands at the left, the second asset at the right
    const left = -((this.shown?.radius ?? 1) * 1.05 + Math.min(0.14 * this.height + 0.8, this.height * 0.7));
    const right = this.second.position.x + this.radius * 1.08;
    const half = Math.tan(THREE.MathUtils.degToRad(camera.fov / 2));
    const far = Math.max((tall * 0.58) / half, ((right - left) * 0.53) / (half * camera.aspect)) + this.radius * 0.8;
    const target = new THREE.Vector3((left + right) * 0.5, tall * 0.47, 0);
    const away = new THREE.Vector3(0.28, 0.13, 1).setLength(far);
    this.framed = true;
    controls.minDistance = Math.min(0.3, far * 0.2);
    controls.maxDistance = far * 40;
    camera.near = Math.min(0.1, far * 0.02);
    camera.updateProjectionMatrix();
    this.stage.look(target.clone().add(away), target);
  }

  /** Stand `metres` away, as seen by a camera of 50 degrees. */
  standAt(metres: number) {
    const { camera } = this.stage;
    const scale = Math.tan(THREE.MathUtils.degToRad(25)) / Math.tan(THREE.MathUtils.degToRad(camera.fov / 2));
    const target = new THREE.Vector3(this.second.position.x * 0.5, this.height * 0.47, 0);
    const away = camera.position.clone().sub(this.stage.controls.target);
    this.stage.look(target.clone().add(away.setLength(metres * scale)), target);
  }

  /** Marks of the height ruler, in pixels: from the ground up beside the asset. */
  ruler(): { metres: number; x: number; y: number }[] {
    const h = this.height;
    const foot = this.right().multiplyScalar(-((this.shown?.radius ?? this.radius) * 1.05 + 0.05 * h));
    const long = (a: Spot | null, b: Spot | null) => (a && b ? Math.hypot(a.x - b.x, a.y - b.y) : Infinity);
    const room = long(this.stage.project(foot), this.stage.project(foot.clone().setY(h))) / h; // pixels of a metre
    const least = Math.max(h > 24 ? 5 : h > 11 ? 2 : h > 2.4 ? 1 : h > 0.9 ? 0.25 : h > 0.3 ? 0.1 : 0.02, 18 / room);
    const step = [0.02, 0.05, 0.1, 0.25, 0.5, 1, 2, 5, 10].find((s) => s >= least) ?? 20;
    const marks = [];
    for (let k = 0; k * step <= h + step * 0.99; k++) {
      const p = this.stage.project(foot.clone().setY(k * step));
      if (p && Number.isFinite(p.x + p.y)) marks.push({ metres: Math.round(k * step * 100) / 100, ...p });
    }
    return marks;
  }

  /** Where the ray through a spot meets the plane through `through` that faces the camera, or lies level. */
  place(spot: Spot, through: THREE.Vector3, level = false): THREE.Vector3 | null {
    const normal = level ? new THREE.Vector3(0, 1, 0) : this.stage.camera.getWorldDirection(new THREE.Vector3());
    return this.stage
      .ray(spot)
      .intersectPlane(new THREE.Plane().setFromNormalAndCoplanarPoint(normal, through), new THREE.Vector3());
  }

  /** Metres along a ray to what is shown; infinitely many where it meets nothing. */
  distance(ray: THREE.Ray): number {
    const found = (this.shown?.mesh.parts ?? []).map((part) => meets(ray, part.geometry, this.subject.matrixWorld));
    return Math.min(...found.map((hit) => hit?.distance ?? Infinity), Infinity);
  }

  /** The camera's right, level. */
  right(): THREE.Vector3 {
    return new THREE.Vector3().setFromMatrixColumn(this.stage.camera.matrixWorld, 0).setY(0).normalize();
  }

  dispose() {
    this.mark([]);
    this.ghost(null);
    for (const subject of new Set([this.shown, this.beside, this.passing])) subject?.mesh.dispose();
    for (const made of [this.floor, this.man, this.normals, this.wires, this.checks, ...this.bodies]) free(made);
    this.checks.map?.dispose();
    this.stage.dispose();
  }
}

/** Free what an object or a material has on the graphics card. */
function free(made: THREE.Object3D | THREE.Material) {
  if (made instanceof THREE.Material) return made.dispose();
  made.traverse((each) => {
    if (!(each instanceof THREE.Mesh || each instanceof THREE.LineSegments)) return;
    (each.geometry as THREE.BufferGeometry).dispose();
    (each.material as THREE.Material).dispose();
  });
}
