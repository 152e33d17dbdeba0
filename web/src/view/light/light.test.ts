import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { halton, onDisc, r2, skyDirection, sobol } from './sampling';
import { skyRadiance, SUN, Transmittance, transmittance } from './scattering';
import { Sky, type Weather } from './sky';

const day: Weather = { azimuth: 215, elevation: 40, cover: 0, mist: 0 };
const up = new THREE.Vector3(0, 1, 0);
const light = (s: Sky) => s.fromSky[1] + s.fromSun[1];

describe('samples of a plate', () => {
  it('lie one in each box of every shape, after 16 frames and after 64', () => {
    for (const bits of [4, 6])
      for (let across = 0; across <= bits; across++) {
        const [wide, tall] = [2 ** across, 2 ** (bits - across)];
        const boxes = new Set<number>();
        for (let k = 0; k < 2 ** bits; k++) {
          const [x, y] = sobol(k);
          boxes.add(Math.floor(x * wide) * tall + Math.floor(y * tall));
        }
        expect(boxes.size).toBe(2 ** bits);
      }
  });
});

describe('a clear sky', () => {
  it('is blue above at noon, and red about a low sun', () => {
    const noon = new Sky(day).clear(up);
    expect(noon[2]).toBeGreaterThan(1.8 * noon[0]);
    const evening = new Sky({ ...day, elevation: 1 });
    const west = evening.sun.clone().setY(0.03).normalize();
    const [r, , b] = evening.clear(west);
    expect(r).toBeGreaterThan(1.5 * b);
    expect(evening.power[0]).toBeGreaterThan(3 * evening.power[2]);
  });

  it('sends a part of the daylight that is measured outdoors', () => {
    const sky = new Sky(day);
    const share = sky.fromSky[1] / light(sky);
    expect(share).toBeGreaterThan(0.08);
    expect(share).toBeLessThan(0.25);
  });

  it('holds back more of the sun the lower it stands, and all of it behind the earth', () => {
    const seen = [90, 40, 15, 5, 0.2].map((e) => transmittance(0, Math.sin((e * Math.PI) / 180), 1));
    for (let k = 1; k < seen.length; k++) expect(seen[k]?.[2]).toBeLessThan(seen[k - 1]?.[2] ?? 0);
    expect(transmittance(0, -0.1, 1)).toEqual([0, 0, 0]);
    expect(Math.max(...skyRadiance(0.5, 0.2, 0.4, new Transmittance(1)))).toBeLessThan(SUN);
  });

  it('is looked up as it is computed', () => {
    const table = new Transmittance(2);
    for (const height of [0, 300, 2_000, 12_000, 40_000])
      for (const mu of [0.02, 0.1, 0.3, 0.7, 1]) {
        const exact = transmittance(height, mu, 2);
        table.at(height, mu).forEach((t, k) => expect(Math.abs(t - (exact[k] ?? 0))).toBeLessThan(0.035));
      }
  });

  it('gets darker from noon through dusk to night, and never quite dark', () => {
    const levels = [60, 30, 10, 2, -3, -7].map((elevation) => light(new Sky({ ...day, elevation })));
    for (let k = 1; k < levels.length; k++) expect(levels[k]).toBeLessThan(levels[k - 1] ?? 0);
    const moonlit = light(new Sky({ ...day, elevation: -16 }));
    expect(moonlit).toBeGreaterThan(0.004);
    expect(moonlit).toBeLessThan((levels[0] ?? 0) / 500);
  });

  it('is lit by the moon from above when the sun is gone', () => {
    const night = new Sky({ ...day, elevation: -14 });
    expect(night.light.y).toBeGreaterThan(0.2);
    expect(night.light.angleTo(night.sun)).toBeGreaterThan(1);
    expect(night.exposure()).toBeGreaterThan(10 * new Sky(day).exposure());
  });
});

describe('clouds', () => {
  it('take the sun away and make the sky even and grey', () => {
    const grey = new Sky({ ...day, cover: 1 });
    expect(grey.fromSun[1]).toBeLessThan(0.05 * new Sky(day).fromSun[1]);
    const above = grey.radiance(up);
    expect(above[2] / above[0]).toBeLessThan(1.25);
    const low = grey.radiance(new THREE.Vector3(1, 0.02, 0).normalize());
    expect(above[1] / low[1]).toBeGreaterThan(2.2);
    expect(light(grey)).toBeLessThan(light(new Sky(day)));
  });
});

describe('harmonics', () => {
  it('tell the irradiance of level ground and of what faces down', () => {
    const sky = new Sky({ ...day, cover: 0.5 });
    const on = (part: 'above' | 'below', n: THREE.Vector3) =>
      sky.harmonics(part).getIrradianceAt(n, new THREE.Vector3()).y;
    expect(on('above', up)).toBeCloseTo(sky.fromSky[1], -0.3);
    expect(Math.abs(on('above', up) / sky.fromSky[1] - 1)).toBeLessThan(0.06);
    expect(on('below', up.clone().negate())).toBeGreaterThan(5 * Math.abs(on('below', up)));
  });
});

describe('samples', () => {
  it('fill the square, the disc and the sky evenly', () => {
    const n = 512;
    const quarters = [0, 0, 0, 0];
    for (let k = 0; k < n; k++) {
      const [u, v] = r2(k);
      const q = (u < 0.5 ? 0 : 1) + (v < 0.5 ? 0 : 2);
      quarters[q] = (quarters[q] ?? 0) + 1;
      const [x, y] = onDisc(u, v);
      expect(Math.hypot(x, y)).toBeLessThanOrEqual(1);
    }
    for (const q of quarters) expect(Math.abs(q - n / 4)).toBeLessThan(8);
    expect([1, 2, 3, 4].map((k) => halton(k, 2))).toEqual([0.5, 0.25, 0.75, 0.125]);
  });

  it('weigh directions so that an even sky and its cosine come out right', () => {
    const n = 4096;
    let [solid, level] = [0, 0];
    for (let k = 0; k < n; k++) {
      const { up: y, weight } = skyDirection(...r2(k));
      solid += weight / n;
      level += (weight * y) / n;
    }
    expect(Math.abs(solid / (2 * Math.PI) - 1)).toBeLessThan(0.01);
    expect(Math.abs(level / Math.PI - 1)).toBeLessThan(0.01);
  });
});
