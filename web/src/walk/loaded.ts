/** What a file of a release holds, as an engine takes it: things with levels, where they stand, colliders, lamps. */
import * as THREE from 'three';
import { MeshoptDecoder } from 'three/examples/jsm/libs/meshopt_decoder.module.js';
import { GLTFLoader, type GLTF } from 'three/examples/jsm/loaders/GLTFLoader.js';
import { waving } from './wind';

/** One draw of a level. */
export interface Part {
  geometry: THREE.BufferGeometry;
  material: THREE.Material;
}

/** Something that is drawn, once or many times. */
export interface Thing {
  name: string;
  layer: string;
  asset: string; // where it is one
  variant: number;
  mirrored: boolean;
  levels: Part[][];
  coverage: number[];
  places: Float32Array; // 16 numbers each
}

/** A body that blocks something, once or many times. */
export interface Body {
  name: string;
  layer: string;
  geometry: THREE.BufferGeometry;
  movement: boolean;
  shots: boolean;
  places: Float32Array;
}

export interface Loaded {
  things: Thing[];
  ground: THREE.Mesh[]; // the nearest level, to stand on
  bodies: Body[];
  lamps: { at: THREE.Vector3; color: THREE.Color; candela: number; reach: number }[];
}

interface NodeDef {
  extensions?: { MSFT_lod?: { ids: number[] } };
}

const loader = new GLTFLoader();
loader.setMeshoptDecoder(MeshoptDecoder);
const SCREEN = 'MSFT_screencoverage';

export async function load(data: ArrayBuffer, from: string): Promise<Loaded> {
  const gltf = await loader.parseAsync(data, from);
  const out: Loaded = { things: [], ground: [], bodies: [], lamps: [] };
  gltf.scene.updateMatrixWorld(true);
  const nodes = (gltf.parser.json as { nodes: NodeDef[] }).nodes;
  const done = new Set<THREE.Object3D>();
  const asked: Promise<void>[] = [];
  gltf.scene.traverse((object) => {
    if (object instanceof THREE.PointLight) return void out.lamps.push(lampOf(object));
    const node = (gltf.parser.associations.get(object) as { nodes?: number } | undefined)?.nodes;
    if (node === undefined || done.has(object)) return;
    const drawn = draws(object);
    if (!drawn.length) return;
    object.traverse((o) => done.add(o));
    const { userData } = object;
    const first = drawn[0] as THREE.Mesh;
    const places = placesOf(first);
    const layer = String(userData.layer ?? parentLayer(object));
    if (userData.collider) {
      const [movement, shots] = [Boolean(userData.blocksMovement), Boolean(userData.blocksShots)];
      for (const mesh of drawn)
        out.bodies.push({ name: object.name, layer, geometry: mesh.geometry, movement, shots, places });
      return;
    }
    if (object.name === 'ground') out.ground.push(...drawn);
    asked.push(
      levelsOf(gltf, nodes[node]?.extensions?.MSFT_lod?.ids ?? []).then((lower) => {
        out.things.push({
          name: first.name || object.name,
          layer,
          asset: String(userData.asset ?? ''),
          variant: Number(userData.variant ?? 0),
          mirrored: Boolean(userData.mirrored),
          levels: [drawn.map(partOf), ...lower],
          coverage: (userData[SCREEN] as number[] | undefined) ?? [],
          places,
        });
      }),
    );
  });
  await Promise.all(asked);
  return out;
}

/** The meshes that a node draws, one for each material; not those of nodes below it. */
function draws(object: THREE.Object3D): THREE.Mesh[] {
  if (object instanceof THREE.Mesh) return [object];
  const own = object.children.filter((c): c is THREE.Mesh => c instanceof THREE.Mesh);
  return object instanceof THREE.Group && own.length === object.children.length ? own : [];
}

function parentLayer(object: THREE.Object3D): string {
  for (let o: THREE.Object3D | null = object; o; o = o.parent) if (o.userData.layer) return String(o.userData.layer);
  return object.parent?.name ?? '';
}

/** Where a mesh is drawn, in the scene. */
function placesOf(mesh: THREE.Mesh): Float32Array {
  if (!(mesh instanceof THREE.InstancedMesh)) return new Float32Array(mesh.matrixWorld.elements);
  const out = new Float32Array(16 * mesh.count);
  const one = new THREE.Matrix4();
  for (let k = 0; k < mesh.count; k++) {
    mesh.getMatrixAt(k, one);
    one.premultiply(mesh.matrixWorld).toArray(out, 16 * k);
  }
  return out;
}

async function levelsOf(gltf: GLTF, ids: number[]): Promise<Part[][]> {
  const found = (await Promise.all(ids.map((id) => gltf.parser.getDependency('node', id)))) as THREE.Object3D[];
  return found.map((node) => draws(node).map(partOf));
}

const partOf = (mesh: THREE.Mesh): Part => ({ geometry: mesh.geometry, material: waving(mesh) });

function lampOf(light: THREE.PointLight): Loaded['lamps'][number] {
  const at = light.getWorldPosition(new THREE.Vector3());
  return { at, color: light.color.clone(), candela: light.intensity, reach: light.distance };
}
