/** Where the view stands: at a viewpoint, seen through its lens, until the camera leaves it. */
import * as THREE from 'three';
import type { Viewpoint } from '../api/client';
import { lensOf } from './lens';
import { PINHOLE } from './plate';
import type { Stage } from './stage';

const NEAR = 0.01; // metres that count as the same place

export class Standing {
  /** The viewpoint's id; empty when the view is at none. */
  at = $state('');
  private readonly eye = new THREE.Vector3();
  private readonly target = new THREE.Vector3();

  constructor(private readonly stage: Stage) {}

  go(v: Viewpoint) {
    const { stage } = this;
    stage.lens = lensOf(v);
    stage.look(new THREE.Vector3(...v.eye), new THREE.Vector3(...v.target));
    this.here(v.id ?? '');
    stage.move();
  }

  /** What the view shows now is the viewpoint of this id. */
  here(id: string) {
    this.at = id;
    this.eye.copy(this.stage.camera.position);
    this.target.copy(this.stage.controls.target);
  }

  /** See the view through a viewpoint's lens. */
  see(v: Viewpoint) {
    this.stage.lens = lensOf(v);
    this.stage.refresh();
  }

  /** To be told of each picture: a camera that has moved is at no viewpoint, and has no lens of one. */
  drawn() {
    const { camera, controls } = this.stage;
    if (!this.at || (near(camera.position, this.eye) && near(controls.target, this.target))) return;
    this.at = '';
    this.stage.lens = PINHOLE;
  }
}

const near = (a: THREE.Vector3, b: THREE.Vector3) => a.distanceTo(b) < NEAR;
