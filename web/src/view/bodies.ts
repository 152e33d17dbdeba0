/** Bodies of air, as lines over the view. */
import * as THREE from 'three';
import type { AirValues } from '../api/client';
import type { Flat, Point } from './tools/tool';

export type Body = Pick<AirValues, 'form' | 'wide' | 'tall' | 'deep' | 'above'>;

const ROUND = Array.from({ length: 33 }, (_, k) => (k / 32) * 2 * Math.PI);
const CORNERS = [[-1, -1], [1, -1], [1, 1], [-1, 1], [-1, -1]] as const; // prettier-ignore

/** The outlines of the bodies about `points`; `height` gives the ground's. */
export function bodyLines(body: Body, points: Flat[], height: (x: number, z: number) => number): Point[][] {
  const middle = (x: number, z: number): Point => ({ x, y: height(x, z) + body.above, z });
  if (body.form === 'tube' && points.length > 1) return tube(body, points, middle);
  const lines = body.form === 'box' ? box(body) : ball(body);
  return points.flatMap(([x, z]) => {
    const at = middle(x, z);
    return lines.map((line) => line.map((p) => ({ x: at.x + p.x, y: at.y + p.y, z: at.z + p.z })));
  });
}

function box({ wide, tall, deep }: Body): Point[][] {
  const corner = (x: number, y: number, z: number) => ({ x: (x * wide) / 2, y: (y * tall) / 2, z: (z * deep) / 2 });
  const level = (y: number) => CORNERS.map(([x, z]) => corner(x, y, z));
  return [level(-1), level(1), ...CORNERS.slice(1).map(([x, z]) => [corner(x, -1, z), corner(x, 1, z)])];
}

function ball({ wide, tall, deep }: Body): Point[][] {
  const [a, b, c] = [wide / 2, tall / 2, deep / 2];
  return [
    ROUND.map((t) => ({ x: a * Math.cos(t), y: 0, z: c * Math.sin(t) })),
    ROUND.map((t) => ({ x: a * Math.cos(t), y: b * Math.sin(t), z: 0 })),
    ROUND.map((t) => ({ x: 0, y: b * Math.sin(t), z: c * Math.cos(t) })),
  ];
}

/** Rings about the points, and lines from one to the next at the sides, above and below. */
function tube({ wide, tall }: Body, points: Flat[], middle: (x: number, z: number) => Point): Point[][] {
  const curve = new THREE.CatmullRomCurve3(
    points.map(([x, z]) => new THREE.Vector3(x, 0, z)),
    false,
    'centripetal',
  );
  const steps = 16 * (points.length - 1);
  const around = (k: number, t: number): Point => {
    const at = curve.getPoint(k / steps);
    const way = curve.getTangent(k / steps);
    const aside = (wide / 2) * Math.cos(t);
    const { x, y, z } = middle(at.x, at.z);
    return { x: x - way.z * aside, y: y + (tall / 2) * Math.sin(t), z: z + way.x * aside };
  };
  const rings = points.map((_, i) => ROUND.map((t) => around(16 * i, t)));
  const sides = [0, 1, 2, 3].map((q) => Array.from({ length: steps + 1 }, (_, k) => around(k, (q * Math.PI) / 2)));
  return [...rings, ...sides];
}
