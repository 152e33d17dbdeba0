import * as THREE from 'three';
import { expect, it } from 'vitest';
import { PINHOLE } from './plate';
import { Standing } from './standing.svelte';
import type { Stage } from './stage';

const view = {
  id: 'reeds',
  name: 'In the reeds',
  eye: [3, 1.7, 8] as [number, number, number],
  target: [3, 1.5, 0] as [number, number, number],
  exposure: 1,
  lens: 4,
  focus: 5,
};

function stood() {
  const stage = {
    camera: new THREE.PerspectiveCamera(),
    controls: { target: new THREE.Vector3() },
    lens: PINHOLE,
    look(eye: THREE.Vector3, target: THREE.Vector3) {
      this.camera.position.copy(eye);
      this.controls.target.copy(target);
    },
    move() {},
    refresh() {},
  };
  const standing = new Standing(stage as unknown as Stage);
  standing.go(view);
  return { stage, standing };
}

it('stands at a viewpoint, behind its lens, as long as the camera stays', () => {
  const { stage, standing } = stood();
  standing.drawn();
  standing.drawn();
  expect(standing.at).toBe('reeds');
  expect(stage.lens).toMatchObject({ exposure: 1, radius: 0.004, focus: 5 });
});

it.each(['eye', 'target'])('is at none, and behind no lens, when its %s has moved', (what) => {
  const { stage, standing } = stood();
  (what === 'eye' ? stage.camera.position : stage.controls.target).x += 0.3;
  standing.drawn();
  expect(standing.at).toBe('');
  expect(stage.lens).toBe(PINHOLE);
  standing.go(view);
  expect(standing.at).toBe('reeds');
});
