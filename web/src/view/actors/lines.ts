/** Curves and regions: what is drawn over the view when their layer is chosen, and where they lie. */
import * as THREE from 'three';
import type { LayerView } from '../../api/client';
import { buffer } from '../blobs';
import type { HeightField } from '../ground';
import type { Actor } from './actor';

export class LinesActor implements Actor {
  private lines: [number, number][][] = [];
  private shown = '';

  async sync(view: LayerView, signal: AbortSignal) {
    const key = JSON.stringify([view.curves?.map((c) => c.line), view.regions?.map((r) => r.rings)]);
    if (key === this.shown) return;
    const curves = await Promise.all(
      (view.curves ?? []).map(async (c) => {
        const flat = new Float32Array(await buffer(c.line, signal));
        return Array.from({ length: flat.length / 2 }, (_, k): [number, number] => [
          flat[k * 2] ?? 0,
          flat[k * 2 + 1] ?? 0,
        ]);
      }),
    );
    if (signal.aborted) return;
    this.shown = key;
    const outlines = (view.regions ?? []).flatMap((r) => r.rings);
    const rings = outlines.map((ring) => finely([...ring, ...ring.slice(0, 1)] as [number, number][]));
    this.lines = [...curves, ...rings];
  }

  /** The lines on the ground, thinned to what an eye can see. */
  draped(field: HeightField): THREE.Vector3[][] {
    return this.lines.map((line) =>
      line
        .filter((_, k) => line.length < 60 || k % 3 === 0 || k === line.length - 1)
        .map(([x, z]) => new THREE.Vector3(x, field.height(x, z) + 0.15, z)),
    );
  }

  bounds() {
    const box = new THREE.Box3();
    for (const line of this.lines) for (const [x, z] of line) box.expandByPoint(new THREE.Vector3(x, 0, z));
    return box;
  }

  pick() {
    return null;
  }
  prepare() {}
  setVisible() {}
  dispose() {}
}

/** The line with points at most about a metre apart, so that it follows the ground. */
function finely(line: [number, number][]): [number, number][] {
  return line.flatMap(([x, z], k) => {
    const next = line[k + 1];
    if (!next) return [[x, z] as [number, number]];
    const steps = Math.max(1, Math.min(400, Math.ceil(Math.hypot(next[0] - x, next[1] - z))));
    return Array.from({ length: steps }, (_, s): [number, number] => [
      x + ((next[0] - x) * s) / steps,
      z + ((next[1] - z) * s) / steps,
    ]);
  });
}
