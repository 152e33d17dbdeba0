/** Materials of loaded meshes: bark, leaves and cards, with wind and light that comes through leaves. */
import * as THREE from 'three';
import { Pool } from './resources';

export interface MaterialInfo {
  name: string;
  albedo?: string;
  normal?: string;
  color: [number, number, number];
  cutout: boolean;
  translucency: number;
}

/** What a slot is drawn with, and what casts its shadow. */
export interface Materials {
  material: THREE.MeshLambertMaterial;
  shadow: THREE.MeshDepthMaterial;
}

/** Shared by all materials that the wind moves. */
export const wind = {
  windTime: { value: 0 },
  windForce: { value: new THREE.Vector2() }, // metres a second, along x and z
  windGusts: { value: 0.5 }, // 0 steady, 1 in strong gusts
};

const loader = new THREE.TextureLoader();
const textures = new Pool<THREE.Texture>((texture) => texture.dispose());
const materials = new Pool<Materials>(({ material, shadow }) => {
  material.dispose();
  shadow.dispose();
});
let onLoaded = () => {};

let sharpness = 1; // anisotropic filtering takes a software renderer several times as long

/** Sharper textures at grazing angles, for machines that are quick. */
export function sharpen() {
  if (sharpness > 1) return;
  sharpness = 8;
  for (const each of textures.values()) {
    each.anisotropy = sharpness;
    each.needsUpdate = each.image !== null;
  }
}

/** Called when a texture has arrived, so that the view is drawn again. */
export function whenTextureLoaded(callback: () => void) {
  onLoaded = callback;
}

const textureKey = (address: string, srgb: boolean) => `${address} ${srgb}`;

function texture(address: string, srgb: boolean): THREE.Texture {
  return textures.take(textureKey(address, srgb), () => {
    const made: THREE.Texture = loader.load(
      address,
      () => onLoaded(),
      undefined,
      () => onLoaded(),
    );
    made.wrapS = made.wrapT = THREE.RepeatWrapping;
    made.flipY = false;
    made.colorSpace = srgb ? THREE.SRGBColorSpace : THREE.NoColorSpace;
    made.anisotropy = sharpness;
    return made;
  });
}

const WIND_HEAD = /* glsl */ `
attribute vec4 _wind;
uniform float windTime;
uniform vec2 windForce;
uniform float windGusts;
vec3 windOffset(vec3 at, vec2 place, float size) {
  float force = length(windForce);
  if (force < 0.01) return vec3(0.0);
  vec2 way = windForce / force;
  float k = min(force / 12.0, 1.6);
  float phase = dot(place, way) * 0.22;
  float gust = 0.62 + 0.76 * windGusts * sin(windTime * 0.9 - phase) * sin(windTime * 0.37 - phase * 0.6 + 1.7);
  float sway = _wind.x * k * (0.34 * gust + 0.10 * sin(windTime * 1.7 - phase));
  float limb = _wind.x * k * 0.22 * sin(windTime * (1.9 + _wind.y) + _wind.y * 40.0);
  float leaf = _wind.z * (0.35 + 0.65 * k) * 0.045 * sin(windTime * (5.0 + 4.0 * _wind.y) + dot(at, vec3(9.1, 6.3, 7.7)));
  return vec3(way.x * sway - way.y * limb, -0.3 * sway * sway - abs(limb) * 0.15, way.y * sway + way.x * limb) * size + vec3(leaf, leaf * 0.6, -leaf);
}
`;

const WIND_BODY = /* glsl */ `
#ifdef USE_INSTANCING
  vec2 windPlace = (modelMatrix * instanceMatrix[3]).xz;
  vec3 windWorld = windOffset(transformed, windPlace, 1.0);
  transformed += transpose(mat3(instanceMatrix)) * windWorld / dot(instanceMatrix[0].xyz, instanceMatrix[0].xyz);
#else
  transformed += windOffset(transformed, vec2(0.0), 1.0);
#endif
`;

function patchWind(shader: { vertexShader: string; uniforms: Record<string, THREE.IUniform> }) {
  Object.assign(shader.uniforms, wind);
  shader.vertexShader = shader.vertexShader
    .replace('#include <common>', `#include <common>\n${WIND_HEAD}`)
    .replace('#include <begin_vertex>', `#include <begin_vertex>\n${WIND_BODY}`);
}

/** Light falls through leaves; their crown-shaped normals do not turn with the face. */
function patchLeaf(shader: { fragmentShader: string }, translucency: number) {
  const lambert = THREE.ShaderChunk.lights_lambert_pars_fragment.replace(
    'float dotNL = saturate( dot( geometryNormal, directLight.direction ) );',
    `float facing = dot( geometryNormal, directLight.direction );
     float wrapped = saturate( ( facing + 0.25 ) / 1.25 );
     float through = saturate( -facing * 0.6 + 0.4 ) * ${translucency.toFixed(2)} * ( 0.35 + 1.3 * pow( saturate( dot( geometryViewDir, -directLight.direction ) ), 3.0 ) );
     float dotNL = wrapped + through;`,
  );
  shader.fragmentShader = shader.fragmentShader
    .replace('#include <lights_lambert_pars_fragment>', lambert)
    .replace(
      '#include <normal_fragment_begin>',
      THREE.ShaderChunk.normal_fragment_begin.replace('gl_FrontFacing ? 1.0 : - 1.0', '1.0'),
    );
}

/** The materials of a slot; equal slots share them. Given back with `giveMaterial`. */
export function takeMaterial(info: MaterialInfo): Materials {
  return materials.take(JSON.stringify(info), () => {
    const material = makeMaterial(info);
    return { material, shadow: shadowMaterial(material) };
  });
}

export function giveMaterial(info: MaterialInfo) {
  materials.give(JSON.stringify(info));
}

function makeMaterial(info: MaterialInfo): THREE.MeshLambertMaterial {
  const made = new THREE.MeshLambertMaterial({ vertexColors: true, color: new THREE.Color(...info.color) });
  made.name = info.name;
  if (info.albedo) made.map = texture(info.albedo, true);
  if (info.normal) {
    made.normalMap = texture(info.normal, false);
    made.normalScale.set(info.cutout ? 0.6 : 1.3, info.cutout ? 0.6 : 1.3);
  }
  if (info.cutout) {
    made.alphaTest = 0.42;
    made.side = THREE.DoubleSide;
    made.alphaToCoverage = true;
  }
  made.onBeforeCompile = (shader) => {
    patchWind(shader);
    if (info.cutout) patchLeaf(shader, info.translucency);
  };
  made.customProgramCacheKey = () => `plough ${info.cutout} ${info.translucency}`;
  made.addEventListener('dispose', () => {
    if (info.albedo) textures.give(textureKey(info.albedo, true));
    if (info.normal) textures.give(textureKey(info.normal, false));
  });
  return made;
}

/** What casts the shadow of a material: cut out and moved as the material itself. */
function shadowMaterial(of: THREE.MeshLambertMaterial): THREE.MeshDepthMaterial {
  const depth = new THREE.MeshDepthMaterial({
    depthPacking: THREE.RGBADepthPacking,
    map: of.map,
    alphaTest: of.alphaTest ? 0.5 : 0,
    side: of.side,
  });
  depth.onBeforeCompile = patchWind;
  return depth;
}
