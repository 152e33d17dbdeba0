/** Materials of loaded meshes: bark, leaves and cards, with wind and light that comes through leaves. */
import * as THREE from 'three';
import { FRAME_NOISE, frame } from './chunks';
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
  /**
   * Of what is cut out, for many at once: what is nearest is found first, then lit where it is. Lighting leaves that
   * others hide costs as much as all the rest.
   */
  twice: { find: THREE.MeshBasicMaterial; light: THREE.MeshLambertMaterial } | null;
}

/** Shared by all materials that the wind moves. */
export const wind = {
  windTime: { value: 0 },
  windForce: { value: new THREE.Vector2() }, // metres a second, along x and z
  windGusts: { value: 0.5 }, // 0 steady, 1 in strong gusts
};

const loader = new THREE.TextureLoader();
const textures = new Pool<THREE.Texture>((texture) => texture.dispose());
const materials = new Pool<Materials>(({ material, shadow, twice }) => {
  for (const each of [material, shadow, twice?.find, twice?.light]) each?.dispose();
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

/** Called when a texture has arrived, so that the view is drawn again; gives what ends it. */
export function whenTextureLoaded(callback: () => void): () => void {
  onLoaded = callback;
  return () => {
    if (onLoaded === callback) onLoaded = () => {};
  };
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

/** Of each pixel that a leaf covers in part, as many frames show the leaf. */
const CUT = `#ifdef USE_ALPHATEST
  if (diffuseColor.a < 0.12 + 0.50 * frameNoise(gl_FragCoord.xy, 0.7548776662)) discard;
#endif`;

/**
 * A leaf sends back light on the side that it falls on, and lets through a warmer part of it to the other. Its normals are
 * those of the crown, which make it round; which side is lit is told by the face itself.
 */
function patchLeaf(shader: { fragmentShader: string }, translucency: number) {
  const lambert = THREE.ShaderChunk.lights_lambert_pars_fragment.replace(
    /float dotNL[\s\S]*?BRDF_Lambert\( material\.diffuseColor \);/,
    `float onFace = dot( leafFace, directLight.direction );
     float onCrown = saturate( 0.35 + 0.65 * dot( geometryNormal, directLight.direction ) );
     float dotNL = 0.45 * abs( onFace ) + 0.55 * onCrown;
     float front = smoothstep( -0.12, 0.12, onFace );
     vec3 through = vec3( 1.05, 1.10, 0.42 ) * ${(1.7 * translucency).toFixed(3)};
     reflectedLight.directDiffuse += dotNL * directLight.color * BRDF_Lambert( material.diffuseColor ) * mix( through, vec3( 1.0 ), front );`,
  );
  shader.fragmentShader = shader.fragmentShader
    .replace('#include <lights_lambert_pars_fragment>', `vec3 leafFace = vec3( 0.0, 1.0, 0.0 );\n${lambert}`)
    .replace(
      '#include <normal_fragment_begin>',
      `${THREE.ShaderChunk.normal_fragment_begin.replace('gl_FrontFacing ? 1.0 : - 1.0', '1.0')}
       leafFace = cross( dFdx( vViewPosition ), dFdy( vViewPosition ) );
       leafFace *= sign( dot( leafFace, vViewPosition ) ) / max( length( leafFace ), 1e-12 );`,
    );
}

/** Leaves that are there in part, frame by frame. */
function patchCut(shader: { fragmentShader: string; uniforms: Record<string, THREE.IUniform> }) {
  Object.assign(shader.uniforms, frame);
  shader.fragmentShader = shader.fragmentShader
    .replace('#include <common>', `#include <common>\n${FRAME_NOISE}`)
    .replace('#include <alphatest_fragment>', CUT);
}

/** The materials of a slot; equal slots share them. Given back with `giveMaterial`. */
export function takeMaterial(info: MaterialInfo): Materials {
  return materials.take(JSON.stringify(info), () => {
    const material = makeMaterial(info);
    return { material, shadow: shadowMaterial(material), twice: info.cutout ? twice(info, material) : null };
  });
}

export function giveMaterial(info: MaterialInfo) {
  materials.give(JSON.stringify(info));
}

/** The two passes must agree on where a vertex lies. */
function agree(shader: { vertexShader: string }) {
  shader.vertexShader = `invariant gl_Position;\n${shader.vertexShader}`;
}

function twice(info: MaterialInfo, of: THREE.MeshLambertMaterial): Materials['twice'] {
  const find = new THREE.MeshBasicMaterial({ map: of.map, alphaTest: of.alphaTest, side: of.side, colorWrite: false });
  find.onBeforeCompile = (shader) => {
    patchWind(shader);
    patchCut(shader);
    agree(shader);
  };
  find.customProgramCacheKey = () => 'plough find';
  const light = of.clone();
  light.alphaTest = 0;
  light.depthFunc = THREE.EqualDepth;
  light.depthWrite = false;
  light.onBeforeCompile = (shader) => {
    patchWind(shader);
    patchLeaf(shader, info.translucency);
    agree(shader);
  };
  light.customProgramCacheKey = () => `plough light ${info.translucency}`;
  return { find, light };
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
    made.color.multiplyScalar(1.18); // maps of leaves are drawn as they are seen, which is darker than they are
    made.side = THREE.DoubleSide;
  }
  made.onBeforeCompile = (shader) => {
    patchWind(shader);
    if (!info.cutout) return;
    patchLeaf(shader, info.translucency);
    patchCut(shader);
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
  depth.onBeforeCompile = (shader) => {
    patchWind(shader);
    patchCut(shader);
  };
  return depth;
}
