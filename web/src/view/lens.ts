/** A viewpoint's lens, as the view takes it. */
import type { Viewpoint } from '../api/client';
import type { Lens } from './plate';

export function lensOf({ eye, target, exposure = 0, lens = 0, focus = 0 }: Viewpoint): Lens {
  const [dx, dy, dz] = [0, 1, 2].map((k) => (eye[k] ?? 0) - (target[k] ?? 0)) as [number, number, number];
  return { exposure, radius: lens / 1000, focus: focus > 0 ? focus : Math.max(0.2, Math.hypot(dx, dy, dz)) };
}
