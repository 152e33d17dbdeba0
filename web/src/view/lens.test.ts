import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { lensOf } from './lens';

describe('the lens of a viewpoint', () => {
  const viewpoint = { id: 'v', name: 'Dyke', eye: [0, 3, 4], target: [0, 0, 0] } as const;

  it('is sharp at its target where nothing else is said, and keeps all sharp without a size', () => {
    expect(lensOf({ ...viewpoint, eye: [0, 3, 4], target: [0, 0, 0] } as never)).toEqual({
      exposure: 0,
      radius: 0,
      focus: 5,
    });
    expect(lensOf({ ...viewpoint, lens: 25, focus: 2, exposure: -1 } as never)).toEqual({
      exposure: -1,
      radius: 0.025,
      focus: 2,
    });
  });

  it('keeps what is in focus where it is, and moves what is nearer and farther apart', () => {
    // as `Plate.expose` does it: the camera moves over the lens, the window moves back
    const [width, height, focus] = [800, 600, 10];
    const seen = (distance: number, x: number) => {
      const camera = new THREE.PerspectiveCamera(50, width / height, 0.1, 100);
      const perMetre = height / (2 * focus * Math.tan(THREE.MathUtils.degToRad(25)));
      camera.position.x = x;
      camera.setViewOffset(width, height, -x * perMetre, 0, width, height);
      camera.updateMatrixWorld();
      return new THREE.Vector3(0.5, 0.2, -distance).project(camera).x * (width / 2);
    };
    expect(seen(focus, 0.1)).toBeCloseTo(seen(focus, 0), 4);
    expect(Math.abs(seen(3, 0.1) - seen(3, 0))).toBeGreaterThan(5);
    expect((seen(3, 0.1) - seen(3, 0)) * (seen(60, 0.1) - seen(60, 0))).toBeLessThan(0);
  });
});
