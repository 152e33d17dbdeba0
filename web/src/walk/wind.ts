/** Wind by the channel that a bake writes: sway of the whole, phase of its limb, flutter of a leaf. */
import * as THREE from 'three';

export const wind = { time: { value: 0 }, force: { value: new THREE.Vector2() } };

const HEAD = /* glsl */ `
attribute vec4 _wind;
uniform float time;
uniform vec2 force;
vec3 blown(vec3 at, vec2 place) {
  float strong = length(force);
  if (strong < 0.01) return vec3(0.0);
  vec2 way = force / strong;
  float k = min(strong / 12.0, 1.5);
  float sway = _wind.x * k * (0.3 + 0.12 * sin(time * 1.6 - dot(place, way) * 0.22));
  float limb = _wind.x * k * 0.2 * sin(time * (1.8 + _wind.y) + _wind.y * 40.0);
  float leaf = _wind.z * k * 0.05 * sin(time * (5.0 + 4.0 * _wind.y) + dot(at, vec3(9.0, 6.0, 8.0)));
  return vec3(way.x * sway - way.y * limb + leaf, -0.3 * sway * sway, way.y * sway + way.x * limb - leaf);
}
`;
const BODY = /* glsl */ `#include <begin_vertex>
#ifdef USE_INSTANCING
  vec3 gust = blown(transformed, (modelMatrix * instanceMatrix[3]).xz);
  transformed += transpose(mat3(instanceMatrix)) * gust / dot(instanceMatrix[0].xyz, instanceMatrix[0].xyz);
#endif`;

const known = new Map<THREE.Material, THREE.Material>();

/** The material of a mesh; where the mesh has a channel for the wind, it is moved by that. */
export function waving(mesh: THREE.Mesh): THREE.Material {
  const material = mesh.material as THREE.Material;
  if (!mesh.geometry.getAttribute('_wind')) return material;
  const there = known.get(material);
  if (there) return there;
  const own = material.clone();
  own.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, wind);
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', `#include <common>\n${HEAD}`)
      .replace('#include <begin_vertex>', BODY);
  };
  own.customProgramCacheKey = () => 'waving';
  known.set(material, own);
  return own;
}
