/** Instances that turn about axes of their own while time passes. */
import * as THREE from 'three';
import { setTurn, turnOf } from '../instances';
import type { Cell } from './cells';

const [own, q] = [new THREE.Quaternion(), new THREE.Quaternion()];

export class Spin {
  private readonly axis = new THREE.Vector3();
  private speed = 0; // radians a second
  private at = 0; // seconds, up to which all are turned
  private rests = new WeakMap<Cell, Float32Array>(); // how each was turned at first

  /** Degrees a second about each one's own axes; whether that is another speed than before. */
  set([x, y, z]: readonly [number, number, number]): boolean {
    const before = this.axis.clone().multiplyScalar(this.speed);
    this.axis.set(x, y, z).multiplyScalar(THREE.MathUtils.DEG2RAD);
    this.speed = this.axis.length();
    if (this.speed) this.axis.divideScalar(this.speed);
    return before.distanceTo(this.axis.clone().multiplyScalar(this.speed)) > 1e-9;
  }

  get turns(): boolean {
    return this.speed > 0;
  }

  /** Turn all of `cells` as they are after `seconds`; those that have stopped stand as they did at first. */
  turn(cells: Iterable<Cell>, seconds: number) {
    const now = this.turns ? seconds : 0;
    own.setFromAxisAngle(this.axis, this.speed * now);
    for (const cell of cells) {
      const rest = this.rests.get(cell) ?? this.rested(cell);
      for (let k = 0; k < cell.count; k++) setTurn(cell.list, k, q.fromArray(rest, 4 * k).multiply(own));
    }
    this.at = now;
  }

  /** Whether they are to be turned on. */
  behind(seconds: number): boolean {
    return this.turns ? this.at !== seconds : this.at !== 0;
  }

  /** Cells have come: they are turned with the next picture. */
  begin() {
    this.at = NaN;
  }

  private rested(cell: Cell): Float32Array {
    const rest = new Float32Array(4 * cell.count);
    for (let k = 0; k < cell.count; k++) turnOf(cell.list, k, q).toArray(rest, 4 * k);
    this.rests.set(cell, rest);
    return rest;
  }
}
