/** Cards that face the eye: of the pictures over the upper half of all directions, the one that the eye stands at. */
import type * as THREE from 'three';
import { frame } from './chunks';

/** How a sheet of pictures is laid out, as the material's extras tell. */
export interface DomeInfo {
  grid: number; // pictures a side
  pixels: number; // a side of each picture
  centre: [number, number, number]; // metres, the middle of what is shown
  half: [number, number]; // metres that a picture shows to each side, and up and down
  depth: number; // metres from the middle to the nearest and the farthest
}

const SHARP = 0.9; // pixels of a picture that one of the view may show

/** The channels that the wind moves a card by. */
export const DOME_WIND = 'vec4(clamp(transformed.y / max(2.0 * domeCentre.y, 1e-3), 0.0, 1.0), 0.0, 0.0, 1.0)';

/** How far away a card is as sharp as it can be, where a radian covers so many pixels of the view. */
export const sharpFrom = (dome: DomeInfo, pixels: number) => (SHARP * pixels * 2 * dome.half[1]) / dome.pixels;

// after the instance's matrix is known, before all else
const HEAD = /* glsl */ `
uniform vec3 domeCentre;
uniform vec3 domeHalf;
uniform float domeGrid;
uniform vec2 frameSeed;
varying vec3 domeX;
varying vec3 domeY;
varying vec3 domeZ;
vec3 domeAt;
vec3 domeWay;
vec2 domeCell;
vec3 domeDirection(vec2 cell) {
  vec2 e = cell / (domeGrid - 1.0) * 2.0 - 1.0;
  vec2 p = 0.5 * vec2(e.x + e.y, e.x - e.y);
  return normalize(vec3(p.x, 1.0 - abs(p.x) - abs(p.y), p.y));
}
void faceEye() {
  mat4 stand = modelMatrix * instanceMatrix;
  bool parallel = projectionMatrix[3][3] == 1.0;
  vec3 eye = parallel ? vec3(viewMatrix[0][2], viewMatrix[1][2], viewMatrix[2][2]) : cameraPosition - (stand * vec4(domeCentre, 1.0)).xyz;
  vec3 square = vec3(dot(stand[0], stand[0]), dot(stand[1], stand[1]), dot(stand[2], stand[2]));
  vec3 d = (transpose(mat3(stand)) * eye) / square;
  d.y = max(d.y, 0.0);
  d /= max(abs(d.x) + abs(d.y) + abs(d.z), 1e-9);
  vec2 at = (vec2(d.x + d.z, d.x - d.z) * 0.5 + 0.5) * (domeGrid - 1.0);
  // each frame shows one of the four pictures about the eye, as often as it is near
  vec2 chance = 0.5 + 0.7 * (fract(0.5 + frameSeed) - 0.5);
  domeCell = clamp(floor(at + chance), 0.0, domeGrid - 1.0);
  domeWay = domeDirection(domeCell);
  vec3 right = normalize(vec3(domeWay.z, 0.0, -domeWay.x));
  vec2 corner = vec2(uv.x * 2.0 - 1.0, 1.0 - uv.y * 2.0);
  domeAt = domeCentre + right * corner.x * domeHalf.x + cross(domeWay, right) * corner.y * domeHalf.y;
  // what casts a shadow stands behind itself, so that it does not lie in its own
  if (parallel) domeAt -= domeWay * domeHalf.z;
  mat3 turned = mat3(viewMatrix) * mat3(stand);
  domeX = turned[0] / sqrt(square.x);
  domeY = turned[1] / sqrt(square.y);
  domeZ = turned[2] / sqrt(square.z);
}
`;

export function patchDome(shader: THREE.WebGLProgramParametersWithUniforms, { grid, centre, half, depth }: DomeInfo) {
  Object.assign(shader.uniforms, frame, {
    domeGrid: { value: grid },
    domeCentre: { value: centre },
    domeHalf: { value: [...half, depth * 0.5] },
  });
  shader.vertexShader = shader.vertexShader
    .replace('#include <common>', `#include <common>\n${HEAD}`)
    .replace('void main() {', 'void main() {\nfaceEye();')
    .replace('#include <beginnormal_vertex>', 'vec3 objectNormal = domeWay;')
    .replace('#include <begin_vertex>', 'vec3 transformed = domeAt;')
    .replace(
      '#include <uv_vertex>',
      `#include <uv_vertex>
      #ifdef USE_MAP
        vMapUv = (domeCell + uv) / domeGrid;
      #endif
      #ifdef USE_NORMALMAP
        vNormalMapUv = (domeCell + uv) / domeGrid;
      #endif`,
    );
}

/** Light on a crown that is a picture: by the normals that were drawn with it, which lie in the asset's own axes. */
export function patchDomeLight(shader: { fragmentShader: string }, lambert: string) {
  shader.fragmentShader = shader.fragmentShader
    .replace('#include <common>', '#include <common>\nvarying vec3 domeX;\nvarying vec3 domeY;\nvarying vec3 domeZ;')
    .replace('#include <lights_lambert_pars_fragment>', lambert)
    .replace(
      '#include <normal_fragment_maps>',
      'normal = normalize(mat3(domeX, domeY, domeZ) * (texture2D(normalMap, vNormalMapUv).xyz * 2.0 - 1.0));',
    );
}
