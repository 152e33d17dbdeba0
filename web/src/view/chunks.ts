/** What every program of the view shares: how far air dims, where shadows are looked up, which parts of a leaf are there. */
import * as THREE from 'three';
import { LAMPS, lampsOfFrame, ROOM } from './lamps';

/**
 * One map of shadows serves what is near and what is far: its middle is drawn finer than its rim. Casters and receivers
 * bend alike; a map that reaches only so many metres is fine enough all over, and is not bent.
 */
export const BEND = /* glsl */ `
vec2 bendShadow(vec2 p, float reach) {
  float bend = 0.90 * smoothstep(40.0, 120.0, reach);
  return p / (bend * length(p) + 1.0 - bend);
}
`;

/** Noise of a frame that is as even as can be over neighbouring pixels (Jimenez 2014), and over the frames of a pixel by `seed`, a part of `frameSeed`. */
export const FRAME_NOISE = /* glsl */ `
uniform vec2 frameSeed;
float frameNoise(vec2 pixel, float seed) {
  return fract(52.9829189 * fract(dot(pixel, vec2(0.06711056, 0.00583715))) + seed);
}
`;

/** Set anew for each frame of a plate. */
export const frame = { frameSeed: { value: new THREE.Vector2() } };

const AIR = 'vec3(0.62, 0.78, 1.12)'; // how much more air dims blue than red

function change(of: string, from: string | RegExp, to: string): string {
  const changed = of.replace(from, () => to);
  if (changed === of) throw new Error(`a program of the view is not as expected: ${String(from)}`);
  return changed;
}

let done = false;

/** Change the programs of three.js; before anything is compiled. */
export function changePrograms() {
  if (done) return;
  done = true;
  const { ShaderChunk, ShaderLib } = THREE;
  ShaderChunk.shadowmap_pars_fragment = change(
    change(ShaderChunk.shadowmap_pars_fragment, '#ifdef USE_SHADOWMAP', `#ifdef USE_SHADOWMAP\n${BEND}`),
    /vec2 texelSize = vec2\( 1\.0 \) \/ shadowMapSize;[\s\S]*?\) \* 0\.2;/,
    'shadow = texture(shadowMap, vec3(bendShadow(shadowCoord.xy * 2.0 - 1.0, shadowRadius) * 0.5 + 0.5, shadowCoord.z));',
  );
  ShaderLib.depth.vertexShader = change(
    change(ShaderLib.depth.vertexShader, '#include <common>', `#include <common>\n${BEND}`),
    '#include <project_vertex>',
    '#include <project_vertex>\ngl_Position.xy = bendShadow(gl_Position.xy, 1.0 / projectionMatrix[0][0]);',
  );
  ShaderChunk.lights_pars_begin = `uniform vec4 lamps[${2 * ROOM}];\n${ShaderChunk.lights_pars_begin}`;
  ShaderChunk.lights_fragment_begin += LAMPS;
  Object.assign(ShaderLib.lambert.uniforms, { lamps: lampsOfFrame });
  ShaderChunk.fog_fragment = /* glsl */ `
    #ifdef USE_FOG
      vec3 clearness = exp(-vFogDepth * fogDensity * ${AIR});
      gl_FragColor.rgb = mix(fogColor, gl_FragColor.rgb, clearness);
    #endif`;
}
