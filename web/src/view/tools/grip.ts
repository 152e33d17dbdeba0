/** Drags what of a recipe has a place in the view: a stem's guide, a crown's profile, a hedge's line. */
import * as THREE from 'three';
import type { Edit } from '../../state/editQueue';
import { handlesOf, type Handle, type Subject } from '../../state/handles';
import type { Turntable } from '../turntable';
import type { Gesture, Hint, KeyStroke, Mark, Outcome, Point, Stroke, Tool } from './tool';

export class GripTool implements Tool {
  readonly id = 'grip';
  readonly cursor = '';
  readonly sets = false;
  readonly alone = false;
  private held: Handle | null = null; // as it was when the drag began
  private value: unknown = null;

  constructor(
    private readonly table: Turntable,
    private readonly subject: () => Subject | null,
  ) {}

  hints(): Hint[] {
    return [];
  }

  private get handles(): Handle[] {
    const subject = this.subject();
    return subject?.mayEdit ? handlesOf(subject).handles : [];
  }

  /** In metres of the turntable; what goes sideways lies along the camera's right. */
  private world(p: Point, sideways: boolean): THREE.Vector3 {
    return sideways ? this.table.right().multiplyScalar(p.x).setY(p.y) : new THREE.Vector3(p.x, p.y, p.z);
  }

  marks(): Mark[] {
    return this.handles.map((h) => ({ key: h.key, label: h.label, at: this.world(h.at, h.sideways) }));
  }

  strokes(): Stroke[] {
    const subject = this.subject();
    if (!subject) return [];
    return handlesOf(subject).lines.map((l) => ({
      points: l.points.map((p) => this.world(p, l.sideways)),
      dashed: true,
    }));
  }

  pointer(gesture: Gesture): Outcome {
    if (gesture.kind === 'press') {
      this.held = this.handles.find((h) => h.key === gesture.mark) ?? null;
      this.value = null;
      return 'shown';
    }
    if (gesture.kind === 'drag' && this.held) {
      const { at, sideways, level } = this.held;
      const to = this.table.place(gesture.spot, this.world(at, sideways), level);
      if (!to) return 'nothing';
      this.value = this.held.moved(sideways ? { x: to.dot(this.table.right()), y: to.y, z: 0 } : to);
      return 'draft';
    }
    return gesture.kind === 'release' && this.value !== null ? 'commit' : 'nothing';
  }

  key(stroke: KeyStroke): Outcome {
    if (stroke.kind !== 'nudge') return 'nothing';
    const handle = this.handles.find((h) => h.key === stroke.mark);
    if (!handle) return 'nothing';
    const step = this.table.height * (stroke.fine ? 0.004 : 0.02);
    const to = { ...handle.at, x: handle.at.x + stroke.right * step };
    if (handle.level) to.z -= stroke.up * step;
    else to.y += stroke.up * step;
    this.held = handle;
    this.value = handle.moved(to);
    return 'draft';
  }

  draft() {
    return this.held && { path: this.held.path, value: this.value };
  }

  commit(): Edit[] {
    const subject = this.subject();
    const { held, value } = this;
    this.cancel();
    return subject && held && value !== null
      ? [{ op: 'asset', id: subject.asset, parameters: { [held.path]: value } }]
      : [];
  }

  cancel() {
    this.held = null;
    this.value = null;
  }
}
