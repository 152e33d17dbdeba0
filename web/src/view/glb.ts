/** Meshes from the service: GLB by address, parsed once and shared. */
import * as THREE from 'three';
import { GLTFLoader, type GLTF } from 'three/examples/jsm/loaders/GLTFLoader.js';
import { bytes, type Card } from '../api/client';
import type { DomeInfo } from './dome';
import { giveMaterial, takeMaterial, type MaterialInfo, type Materials } from './materials';
import { refined } from './refine';
import { Hold, Pool } from './resources';

export interface LoadedPart extends Materials {
  geometry: THREE.BufferGeometry;
  dome?: DomeInfo; // of a card that faces the eye
}

export interface LoadedMesh {
  parts: LoadedPart[];
  extras: Record<string, unknown>;
  triangles: number;
  /** Free its geometries and let go of its materials; once. */
  dispose(): void;
}

interface Json {
  materials?: {
    name?: string;
    alphaMode?: string;
    normalTexture?: { index: number };
    emissiveFactor?: [number, number, number];
    pbrMetallicRoughness?: { baseColorTexture?: { index: number }; baseColorFactor?: number[] };
    extras?: { translucency?: number; dome?: DomeInfo; normalTexture?: { index: number } };
  }[];
  textures?: { source: number }[];
  images?: { uri?: string }[];
  meshes?: { primitives: { material?: number }[] }[];
}

const loader = new GLTFLoader();
// materials are our own, shared between meshes; the loader need not make any
loader.register(() => ({
  name: 'PLOUGH_plain_materials',
  loadMaterial: () => Promise.resolve(new THREE.MeshBasicMaterial()),
}));

function infoOf(json: Json, index: number | undefined): MaterialInfo {
  const material = index === undefined ? undefined : json.materials?.[index];
  const address = (texture?: { index: number }) =>
    texture ? json.images?.[json.textures?.[texture.index]?.source ?? -1]?.uri : undefined;
  const color = material?.pbrMetallicRoughness?.baseColorFactor ?? [1, 1, 1];
  return {
    name: material?.name ?? '',
    albedo: address(material?.pbrMetallicRoughness?.baseColorTexture),
    normal: address(material?.normalTexture ?? material?.extras?.normalTexture),
    color: [color[0] ?? 1, color[1] ?? 1, color[2] ?? 1],
    cutout: material?.alphaMode === 'MASK',
    translucency: material?.extras?.translucency ?? 0,
    dome: material?.extras?.dome,
    glow: material?.emissiveFactor,
  };
}

/** Geometry and materials of a GLB. */
export async function parse(data: ArrayBuffer): Promise<LoadedMesh> {
  const gltf: GLTF = await loader.parseAsync(data, '');
  const json = gltf.parser.json as Json;
  const parts: LoadedPart[] = [];
  const infos: MaterialInfo[] = [];
  let triangles = 0;
  gltf.scene.traverse((object) => {
    if (!(object instanceof THREE.Mesh)) return;
    const link = gltf.parser.associations.get(object) as { meshes?: number; primitives?: number } | undefined;
    const info = infoOf(json, json.meshes?.[link?.meshes ?? 0]?.primitives[link?.primitives ?? parts.length]?.material);
    infos.push(info);
    const geometry = object.geometry as THREE.BufferGeometry;
    const count = geometry.getAttribute('position').count;
    if (!geometry.getAttribute('color'))
      geometry.setAttribute('color', new THREE.BufferAttribute(new Uint8Array(count * 4).fill(255), 4, true));
    if (!geometry.getAttribute('_wind'))
      geometry.setAttribute('_wind', new THREE.BufferAttribute(new Uint8Array(count * 4), 4, true));
    parts.push({ geometry, dome: info.dome, ...takeMaterial(info) });
    triangles += (geometry.index?.count ?? 0) / 3;
  });
  const dispose = () => {
    for (const part of parts) part.geometry.dispose();
    for (const info of infos.splice(0)) giveMaterial(info);
  };
  return { parts, extras: gltf.scene.userData, triangles, dispose };
}

const meshes = new Pool<Promise<LoadedMesh>>((coming) => void coming.then((mesh) => mesh.dispose()).catch(() => null));

/** A card that faces the eye, told of so that it need not be fetched; where its corners are, its program tells. */
export function cardMesh({ albedo, normal, translucency, ...dome }: Card): LoadedMesh {
  const info: MaterialInfo = { name: 'dome', albedo, normal, color: [1, 1, 1], cutout: true, translucency, dome };
  const geometry = new THREE.BufferGeometry();
  for (const name of ['position', 'normal'])
    geometry.setAttribute(name, new THREE.BufferAttribute(new Float32Array(12), 3));
  geometry.setAttribute('uv', new THREE.Float32BufferAttribute([0, 1, 1, 1, 0, 0, 1, 0], 2));
  for (const name of ['color', '_wind'])
    geometry.setAttribute(name, new THREE.BufferAttribute(new Uint8Array(16).fill(255), 4, true));
  geometry.setIndex([0, 1, 2, 1, 3, 2]);
  const dispose = () => {
    geometry.dispose();
    giveMaterial(info);
  };
  return { parts: [{ geometry, dome, ...takeMaterial(info) }], extras: {}, triangles: 2, dispose };
}

/** A mesh as the board draws it. */
function inPieces(mesh: LoadedMesh): LoadedMesh {
  for (const part of mesh.parts) {
    const made = refined(part.geometry);
    if (made !== part.geometry) part.geometry.dispose();
    part.geometry = made;
  }
  return mesh;
}

/** Meshes by address, for one holder, who may have a way of its own to fetch them. */
export function holdMeshes(fetched: (address: string) => Promise<ArrayBuffer> = bytes) {
  return new Hold(meshes, (address) => {
    const coming = fetched(address).then(parse).then(inPieces);
    coming.catch(() => meshes.forget(address, coming)); // so that it is fetched again
    return coming;
  });
}
