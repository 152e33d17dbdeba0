/** Materials of loaded meshes: bark, leaves and cards, with wind and light that comes through leaves. */
import * as THREE from 'three';
import { FRAME_NOISE, frame } from './chunks';
import { DOME_WIND, patchDome, patchDomeLight, type DomeInfo } from './dome';
import { patchMany } from './instances';
import { glow } from './lamps';
import { numberMaterial } from './numbers';
import { Pool } from './resources';

export interface MaterialInfo {
  name: string;
  albedo?: string;
  normal?: string;
  color: [number, number, number];
  cutout: boolean;
  translucency: number;
  dome?: DomeInfo;
  glow?: [number, number, number]; // when lamps are lit
}

/** What a slot is drawn with, and what casts its shadow. */
export interface Materials {
  material: THREE.MeshLambertMaterial;
  shadow: THREE.MeshDepthMaterial;
  /** The same for many instances. */
  many: ManyMaterials;
}

export interface ManyMaterials {
  /**
   * Of what is cut out: what is nearest is found first, then lit where it is. Lighting leaves that others hide costs as
   * much as all the rest.
   */
  find: THREE.MeshBasicMaterial | null;
  light: THREE.MeshLambertMaterial;
  shadow: THREE.MeshDepthMaterial;
  /** Tells which instance is seen. */
  number: THREE.ShaderMaterial;
}

/** Shared by all materials that the wind moves. */
export const wind = {
  windTime: { value: 0 },
  windForce: { value: new THREE.Vector2() }, // metres a second, along x and z
  windGusts: { value: 0.5 }, // 0 steady, 1 in strong gusts
};

/** Images are decoded beside the page, and lie ready when they are first drawn. */
const loader = new THREE.ImageBitmapLoader();
loader.setOptions({ imageOrientation: 'none', premultiplyAlpha: 'none', colorSpaceConversion: 'none' });
const textures = new Pool<THREE.Texture>((texture) => {
  texture.dispose();
  (texture.image as ImageBitmap | null)?.close();
});
const materials = new Pool<Materials>(({ material, shadow, many }) => {
  for (const each of [material, shadow, ...Object.values(many)]) each?.dispose();
});
let onLoaded = () => {};

let sharpness = 1; // anisotropic filtering takes a software renderer several times as long

/** Sharper textures at grazing angles, for machines that are quick. */
export function sharpen() {
  if (sharpness > 1) return;
  sharpness = 8;
  for (const each of textures.values()) {
    each.anisotropy = sharpness;
    each.needsUpdate = Boolean(each.image);
  }
}

/** Called when a texture has arrived, so that the view is drawn again; gives what ends it. */
export function whenTextureLoaded(callback: () => void): () => void {
  onLoaded = callback;
  return () => {
    if (onLoaded === callback) onLoaded = () => {};
  };
}

let ahead = 0; // textures under way
const waiting: (() => void)[] = []; // who waits for them

/** Until no texture is under way. */
export const texturesIn = () => new Promise<void>((done) => (ahead ? waiting.push(done) : done()));

const textureKey = (address: string, srgb: boolean) => `${address} ${srgb}`;

const BLANK = 'blank'; // the address of a texture that is none

function texture(address: string, srgb: boolean): THREE.Texture {
  return textures.take(textureKey(address, srgb), () => {
    const made = new THREE.Texture();
    if (address === BLANK) return made;
    const seen = () => {
      if (!--ahead) for (const done of waiting.splice(0)) done();
      onLoaded();
    };
    ahead++;
    loader.load(
      address,
      (image) => {
        made.image = image;
        made.needsUpdate = true;
        seen();
      },
      undefined,
      seen,
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
vec3 windOffset(vec3 at, vec2 place, vec4 channels) {
  float force = length(windForce);
  if (force < 0.01) return vec3(0.0);
  vec2 way = windForce / force;
  float k = min(force / 12.0, 1.6);
  float phase = dot(place, way) * 0.22;
  float gust = 0.62 + 0.76 * windGusts * sin(windTime * 0.9 - phase) * sin(windTime * 0.37 - phase * 0.6 + 1.7);
  float sway = channels.x * k * (0.34 * gust + 0.10 * sin(windTime * 1.7 - phase));
  float limb = channels.x * k * 0.22 * sin(windTime * (1.9 + channels.y) + channels.y * 40.0);
  float leaf = channels.z * (0.35 + 0.65 * k) * 0.045 * sin(windTime * (5.0 + 4.0 * channels.y) + dot(at, vec3(9.1, 6.3, 7.7)));
  return vec3(way.x * sway - way.y * limb, -0.3 * sway * sway - abs(limb) * 0.15, way.y * sway + way.x * limb) + vec3(leaf, leaf * 0.6, -leaf);
}
`;

const WIND_BODY = /* glsl */ `
#ifdef USE_INSTANCING
  vec2 windPlace = (modelMatrix * instanceMatrix[3]).xz;
  vec3 windWorld = windOffset(transformed, windPlace, WIND_CHANNELS);
  transformed += transpose(mat3(instanceMatrix)) * windWorld / dot(instanceMatrix[0].xyz, instanceMatrix[0].xyz);
#else
  transformed += windOffset(transformed, vec2(0.0), WIND_CHANNELS);
#endif
`;

export type Shader = THREE.WebGLProgramParametersWithUniforms;

/** Where vertices lie: moved by the wind, and those of a card turned to the eye. */
function patchVertices(shader: Shader, info: MaterialInfo) {
  Object.assign(shader.uniforms, wind);
  shader.vertexShader = shader.vertexShader
    .replace('#include <common>', `#include <common>\n${WIND_HEAD}`)
    .replace('#include <begin_vertex>', `#include <begin_vertex>\n${WIND_BODY}`)
    .replaceAll('WIND_CHANNELS', info.dome ? DOME_WIND : '_wind');
  if (info.dome) patchDome(shader, info.dome);
}

/** Of each pixel that a leaf covers in part, as many frames show the leaf. */
const CUT = `#ifdef USE_ALPHATEST
  if (diffuseColor.a < 0.05 + 0.88 * frameNoise(gl_FragCoord.xy, frameSeed.x)) discard;
#endif`;

/** Lambert's law for what lets a part of its light through, warmer, to the other side. */
const leafLight = (facing: string) =>
  THREE.ShaderChunk.lights_lambert_pars_fragment.replace(
    /float dotNL[\s\S]*?BRDF_Lambert\( material\.diffuseColor \);/,
    `float crown = dot( geometryNormal, directLight.direction );
     float onCrown = saturate( 0.35 + 0.65 * crown );
     ${facing}
     vec3 through = vec3( 1.05, 1.10, 0.42 ) * 1.7 * translucency;
     reflectedLight.directDiffuse += dotNL * directLight.color * BRDF_Lambert( material.diffuseColor ) * mix( through, vec3( 1.0 ), front );`,
  );

/**
 * A leaf sends back light on the side that it falls on. Its normals are those of the crown, which make it round; which side
 * is lit is told by the face itself.
 */
function patchLeaf(shader: Shader, { translucency }: MaterialInfo) {
  shader.uniforms.translucency = { value: translucency };
  const lambert = leafLight(
    `float onFace = dot( leafFace, directLight.direction );
     float dotNL = 0.45 * abs( onFace ) + 0.55 * onCrown;
     float front = smoothstep( -0.12, 0.12, onFace );`,
  );
  shader.fragmentShader = shader.fragmentShader
    .replace(
      '#include <lights_lambert_pars_fragment>',
      `uniform float translucency;\nvec3 leafFace = vec3( 0.0, 1.0, 0.0 );\n${lambert}`,
    )
    .replace(
      '#include <normal_fragment_begin>',
      `${THREE.ShaderChunk.normal_fragment_begin.replace('gl_FrontFacing ? 1.0 : - 1.0', '1.0')}
       leafFace = cross( dFdx( vViewPosition ), dFdy( vViewPosition ) );
       leafFace *= sign( dot( leafFace, vViewPosition ) ) / max( length( leafFace ), 1e-12 );`,
    );
}

/** A crown that is a picture of many leaves: they face all ways, as many to the light as away from it. */
function patchCrown(shader: Shader, { translucency }: MaterialInfo) {
  shader.uniforms.translucency = { value: translucency };
  const facing = 'float dotNL = 0.06 + 0.80 * pow( onCrown, 1.4 );\nfloat front = smoothstep( -0.9, 0.9, crown );';
  patchDomeLight(shader, `uniform float translucency;\n${leafLight(facing)}`);
}

/** Leaves that are there in part, frame by frame. */
function patchCut(shader: Shader) {
  Object.assign(shader.uniforms, frame);
  shader.fragmentShader = shader.fragmentShader
    .replace('#include <common>', `#include <common>\n${FRAME_NOISE}`)
    .replace('#include <alphatest_fragment>', CUT);
}

/** What glows does so as far as lamps are lit. */
function patchGlow(shader: Shader, info: MaterialInfo) {
  if (!info.glow) return;
  Object.assign(shader.uniforms, glow);
  shader.fragmentShader = shader.fragmentShader
    .replace('#include <common>', '#include <common>\nuniform float lampGlow;')
    .replace('totalEmissiveRadiance = emissive', 'totalEmissiveRadiance = emissive * lampGlow');
}

/** Plants of one kind are not all of one green. */
const TINTS = `#include <color_vertex>
  float own = hashInstance(instanceBits);
  vColor.rgb *= (0.86 + 0.28 * own) * mix(vec3(1.0), vec3(1.13, 1.0, 0.86), fract(own * 61.7) - 0.4);`;

/** The materials of a slot; equal slots share them. Given back with `giveMaterial`. */
export function takeMaterial(info: MaterialInfo): Materials {
  return materials.take(JSON.stringify(info), () => {
    const material = makeMaterial(info);
    return { material, shadow: shadowMaterial(info, material, false), many: manyMaterials(info, material) };
  });
}

const DOME: DomeInfo = { grid: 8, pixels: 96, centre: [0, 1, 0], half: [1, 1], depth: 1 };
const EXAMPLES: MaterialInfo[] = [
  { name: 'wood', cutout: false },
  { name: 'leaf', cutout: true },
  { name: 'card', cutout: true, dome: DOME },
].map((own) => ({ albedo: BLANK, normal: BLANK, color: [1, 1, 1], translucency: 0.4, ...own }));

/** The slots that nearly every scene holds, as nothing in particular. */
export const takeExamples = () => EXAMPLES.map((info) => ({ info, ...takeMaterial(info) }));

export function giveMaterial(info: MaterialInfo) {
  materials.give(JSON.stringify(info));
}

/** Programs that draw the same must agree on where a vertex lies. */
function agree(shader: Shader) {
  shader.vertexShader = `invariant gl_Position;\n${shader.vertexShader}`;
}

/** `material` with a program of its own, told apart by `name` and by what of `info` tells on it. */
function patched<M extends THREE.Material>(
  material: M,
  name: string,
  info: MaterialInfo,
  patch: (s: Shader) => void,
): M {
  material.onBeforeCompile = patch;
  material.customProgramCacheKey = () => `plough ${name} ${info.cutout} ${Boolean(info.dome)} ${Boolean(info.glow)}`;
  return material;
}

function manyMaterials(info: MaterialInfo, of: THREE.MeshLambertMaterial): ManyMaterials {
  const { map, alphaTest, side } = of;
  const lit = of.clone();
  if (info.dome) lit.normalMapType = THREE.ObjectSpaceNormalMap;
  const light = patched(lit, 'light many', info, (shader) => {
    patchVertices(shader, info);
    patchMany(shader, !info.cutout);
    patchGlow(shader, info);
    if (!info.cutout) return;
    if (info.dome) patchCrown(shader, info);
    else patchLeaf(shader, info);
    shader.vertexShader = shader.vertexShader.replace('#include <color_vertex>', TINTS);
    agree(shader);
  });
  const shadow = shadowMaterial(info, of, true);
  const number = patched(numberMaterial(of), 'number', info, (shader) => {
    patchVertices(shader, info);
    patchMany(shader, false);
  });
  if (!info.cutout) return { find: null, light, shadow, number };
  light.alphaTest = 0;
  light.depthFunc = THREE.EqualDepth;
  light.depthWrite = false;
  const find = patched(new THREE.MeshBasicMaterial({ map, alphaTest, side }), 'find', info, (shader) => {
    patchCut(shader);
    patchVertices(shader, info);
    patchMany(shader);
    agree(shader);
  });
  find.colorWrite = false;
  return { find, light, shadow, number };
}

function makeMaterial(info: MaterialInfo): THREE.MeshLambertMaterial {
  const made = new THREE.MeshLambertMaterial({ vertexColors: true, color: new THREE.Color(...info.color) });
  made.name = info.name;
  made.shadowSide = THREE.DoubleSide; // of backs alone, light comes in where a solid stands on the ground
  if (info.glow) made.emissive.setRGB(...info.glow);
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
  patched(made, 'one', info, (shader) => {
    if (info.cutout) {
      patchLeaf(shader, info);
      patchCut(shader);
    }
    patchVertices(shader, info);
    patchGlow(shader, info);
  });
  made.addEventListener('dispose', () => {
    if (info.albedo) textures.give(textureKey(info.albedo, true));
    if (info.normal) textures.give(textureKey(info.normal, false));
  });
  return made;
}

/** What casts the shadow of a material: cut out and moved as the material itself. */
function shadowMaterial(info: MaterialInfo, of: THREE.MeshLambertMaterial, many: boolean): THREE.MeshDepthMaterial {
  const depth = new THREE.MeshDepthMaterial({
    depthPacking: THREE.RGBADepthPacking,
    map: of.map,
    alphaTest: of.alphaTest ? 0.5 : 0,
  });
  return patched(depth, `shadow ${many}`, info, (shader) => {
    patchCut(shader);
    patchVertices(shader, info);
    if (many) patchMany(shader, false); // a shadow is whole
  });
}
