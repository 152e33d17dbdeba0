/** Meshes from the service: GLB by address, parsed once and shared. */
import * as THREE from 'three';
import { GLTFLoader, type GLTF } from 'three/examples/jsm/loaders/GLTFLoader.js';
import { bytes } from '../api/client';
import { materialFor, shadowMaterial, type MaterialInfo } from './materials';

export interface LoadedPart {
  geometry: THREE.BufferGeometry;
  material: THREE.MeshLambertMaterial;
  shadow: THREE.MeshDepthMaterial;
}

export interface LoadedMesh {
  parts: LoadedPart[];
  extras: Record<string, unknown>;
  triangles: number;
}

interface Json {
  materials?: {
    name?: string;
    alphaMode?: string;
    normalTexture?: { index: number };
    pbrMetallicRoughness?: { baseColorTexture?: { index: number }; baseColorFactor?: number[] };
    extras?: { translucency?: number };
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
    normal: address(material?.normalTexture),
    color: [color[0] ?? 1, color[1] ?? 1, color[2] ?? 1],
    cutout: material?.alphaMode === 'MASK',
    translucency: material?.extras?.translucency ?? 0,
  };
}

const shadows = new Map<THREE.Material, THREE.MeshDepthMaterial>();

/** Geometry and materials of a GLB. */
export async function parse(data: ArrayBuffer): Promise<LoadedMesh> {
  const gltf: GLTF = await loader.parseAsync(data, '');
  const json = gltf.parser.json as Json;
  const parts: LoadedPart[] = [];
  let triangles = 0;
  gltf.scene.traverse((object) => {
    if (!(object instanceof THREE.Mesh)) return;
    const link = gltf.parser.associations.get(object) as { meshes?: number; primitives?: number } | undefined;
    const material = materialFor(
      infoOf(json, json.meshes?.[link?.meshes ?? 0]?.primitives[link?.primitives ?? parts.length]?.material),
    );
    const geometry = object.geometry as THREE.BufferGeometry;
    const count = geometry.getAttribute('position').count;
    if (!geometry.getAttribute('color'))
      geometry.setAttribute('color', new THREE.BufferAttribute(new Uint8Array(count * 4).fill(255), 4, true));
    if (!geometry.getAttribute('_wind'))
      geometry.setAttribute('_wind', new THREE.BufferAttribute(new Uint8Array(count * 4), 4, true));
    let shadow = shadows.get(material);
    if (!shadow) shadows.set(material, (shadow = shadowMaterial(material)));
    parts.push({ geometry, material, shadow });
    triangles += (geometry.index?.count ?? 0) / 3;
  });
  return { parts, extras: gltf.scene.userData, triangles };
}

const held = new Map<string, Promise<LoadedMesh>>();

/** The mesh at this address. */
export function mesh(address: string): Promise<LoadedMesh> {
  let found = held.get(address);
  if (!found) {
    found = bytes(address).then(parse);
    found.catch(() => held.delete(address));
    held.set(address, found);
    if (held.size > 400) held.delete(held.keys().next().value as string);
  }
  return found;
}
