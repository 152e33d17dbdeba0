/** How the view dresses solids that it knows more about than their material. */
import * as THREE from 'three';
import { NOISE } from './shaders';

const SURFACE: Record<string, [string, string]> = {
  earth: ['#7d6748', '#b59a70'],
  gravel: ['#77705f', '#a29a86'],
  stone: ['#6d6d68', '#8f8f89'],
  grass: ['#5b6a33', '#77833f'],
};

const paths = new Map<string, THREE.MeshLambertMaterial>();

/** Worn ground, of a kind of surface. */
export function pathMaterial(surface: string): THREE.MeshLambertMaterial {
  let found = paths.get(surface);
  if (!found) paths.set(surface, (found = makePath(surface)));
  return found;
}

function makePath(surface: string): THREE.MeshLambertMaterial {
  const [dark, light] = (SURFACE[surface] ?? SURFACE.earth) as [string, string];
  const made = new THREE.MeshLambertMaterial({
    transparent: true,
    depthWrite: false,
    polygonOffset: true,
    polygonOffsetFactor: -2,
    polygonOffsetUnits: -4,
  });
  made.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, {
      pathDark: { value: new THREE.Color(dark) },
      pathLight: { value: new THREE.Color(light) },
    });
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', '#include <common>\nvarying vec2 along;\nvarying vec3 place;')
      .replace('#include <begin_vertex>', '#include <begin_vertex>\nalong = uv; place = position;');
    shader.fragmentShader = shader.fragmentShader
      .replace(
        '#include <common>',
        `#include <common>\n${NOISE}\nvarying vec2 along;\nvarying vec3 place;\nuniform vec3 pathDark;\nuniform vec3 pathLight;`,
      )
      .replace(
        '#include <color_fragment>',
        /* glsl */ `
        float side = abs(along.x - 0.5) * 2.0;
        float wander = fbm2(place.xz * 0.6);
        float edge = 1.0 - smoothstep(0.50, 1.0, side + 0.5 * (wander - 0.5));
        float ruts = exp(-pow((side - 0.46) / 0.13, 2.0));
        float middle = exp(-pow(side / 0.22, 2.0));
        float fine = fbm2(place.xz * 3.1);
        vec3 c = mix(pathDark, pathLight, 0.25 + 0.75 * fine);
        c = mix(c, pathLight * 1.08, ruts * 0.6);
        c = mix(c, vec3(0.13, 0.15, 0.05), middle * smoothstep(0.40, 0.62, wander) * 0.75);
        diffuseColor = vec4(c, edge * 0.96);
        `,
      );
  };
  made.defines = { USE_UV: '' };
  made.customProgramCacheKey = () => 'plough path';
  return made;
}
