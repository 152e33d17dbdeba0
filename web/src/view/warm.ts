/** Programs are made while what they draw is still on its way. */
import * as THREE from 'three';
import { Blades } from './blades';
import { groundMaterial } from './ground';
import { many, WORDS } from './instances';
import { takeExamples } from './materials';
import type { Stage } from './stage';
import { Water } from './water';

/** One triangle with all that the meshes of assets have. */
function triangle(tangents: boolean): THREE.BufferGeometry {
  const made = new THREE.BufferGeometry();
  const floats = (width: number) => new THREE.BufferAttribute(new Float32Array(3 * width), width);
  const bytes = () => new THREE.BufferAttribute(new Uint8Array(12), 4, true);
  for (const name of ['position', 'normal']) made.setAttribute(name, floats(3));
  made.setAttribute('uv', floats(2));
  if (tangents) made.setAttribute('tangent', floats(4));
  for (const name of ['color', '_wind']) made.setAttribute(name, bytes());
  made.setIndex([0, 1, 2]);
  return made;
}

const warmed = new Set<boolean>();

/**
 * Ask for the programs that a scene of plants is drawn with, once: those of what is `far`, which is seen first, or all
 * others. They stay, so that the next scene has them, too.
 */
export function warm(stage: Stage, far: boolean) {
  if (warmed.has(far)) return;
  warmed.add(far);
  const [scene, shadows] = [new THREE.Scene(), new THREE.Scene()];
  const list = new THREE.InstancedBufferAttribute(new Uint32Array(WORDS), WORDS);
  for (const { info, many: drawn } of takeExamples()) {
    const geometry = many(triangle(!info.dome), list);
    if (far === Boolean(info.dome))
      for (const material of [drawn.light, drawn.find])
        if (material) scene.add(Object.assign(new THREE.Mesh(geometry, material), { receiveShadow: true }));
    if (!far) shadows.add(new THREE.Mesh(geometry, drawn.shadow));
  }
  if (far) {
    const ground = new THREE.Mesh(triangle(false), groundMaterial());
    ground.receiveShadow = true;
    scene.add(ground, new Water(stage.atmosphere).mesh);
  } else scene.add(new Blades().mesh);
  stage.renderer.prepare(scene, shadows, stage.camera, stage.scene);
}
