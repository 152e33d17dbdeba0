import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { sceneBytes, targetBytes } from './memory';

const texture = (side: number) => {
  const made = new THREE.DataTexture(new Uint8Array(side * side * 4), side, side);
  made.generateMipmaps = true;
  return made;
};

describe('the memory of a scene', () => {
  it('counts what meshes share once', () => {
    const scene = new THREE.Scene();
    expect(sceneBytes(scene)).toBe(0);
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute('position', new THREE.BufferAttribute(new Float32Array(300), 3));
    geometry.setIndex(new THREE.BufferAttribute(new Uint16Array(60), 1));
    const map = texture(64);
    const material = new THREE.MeshBasicMaterial({ map });
    scene.add(new THREE.Mesh(geometry, material));
    const once = sceneBytes(scene);
    expect(once).toBeCloseTo(1200 + 120 + (64 * 64 * 4 * 4) / 3, 3);
    scene.add(new THREE.Mesh(geometry, material.clone()));
    expect(sceneBytes(scene)).toBe(once);
    scene.add(new THREE.Mesh(geometry, new THREE.ShaderMaterial({ uniforms: { noise: { value: texture(32) } } })));
    expect(sceneBytes(scene) - once).toBeCloseTo((32 * 32 * 4 * 4) / 3, 3);
  });

  it('counts what is drawn into with its depth', () => {
    const target = new THREE.WebGLRenderTarget(100, 50, { type: THREE.HalfFloatType });
    expect(targetBytes(target)).toBe(100 * 50 * (8 + 4));
  });
});
