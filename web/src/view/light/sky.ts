/** The sky that a scene is lit by: where the sun and the moon stand, what they and the sky send, under which clouds. */
import * as THREE from 'three';
import { skyRadiance, SUN, Transmittance, type Rgb } from './scattering';

export interface Weather {
  /** Degrees clockwise from north, and above the horizon. */
  azimuth: number;
  elevation: number;
  /** 0 clear, 1 overcast. */
  cover: number;
  /** 0 clear air, 1 thick. */
  mist: number;
}

export const WIDE = 32; // of the table: azimuth from the sun, 0 to half a turn
export const HIGH = 24; // height, its square root from the horizon to the zenith
const NIGHT: Rgb = [0.0008, 0.0012, 0.0021]; // radiance that never goes
const MOON: Rgb = [0.014, 0.0175, 0.0235]; // irradiance of a full moon, much brighter than it is: eyes see at night, films do not
const GROUND: Rgb = [0.105, 0.115, 0.055]; // what the ground sends back

const radians = THREE.MathUtils.degToRad;

function direction(azimuth: number, elevation: number): THREE.Vector3 {
  const [a, e] = [radians(azimuth), radians(elevation)];
  return new THREE.Vector3(Math.sin(a) * Math.cos(e), Math.sin(e), -Math.cos(a) * Math.cos(e));
}

export class Sky {
  /** Towards what lights most: the sun, or at night the moon. */
  readonly light: THREE.Vector3;
  /** Irradiance from it, on a surface that faces it. */
  readonly power: Rgb;
  /** Towards the sun, wherever it is. */
  readonly sun: THREE.Vector3;
  /** Radiance of the clear sky: rows of heights, of `WIDE` azimuths each. */
  readonly table = new Float32Array(WIDE * HIGH * 4);
  /** Radiance of clouds from below, at the zenith. */
  readonly cloud: Rgb;
  /** Irradiance on level ground by the sky and by the sun. */
  readonly fromSky: Rgb = [0, 0, 0];
  readonly fromSun: Rgb;

  constructor(readonly weather: Weather) {
    const { azimuth, elevation, cover, mist } = weather;
    const haze = 1 + 5 * mist;
    this.sun = direction(azimuth, elevation);
    const air = new Transmittance(haze);
    const direct = air.at(200, Math.max(this.sun.y, 0));
    // the disc sets over its own width
    const risen = THREE.MathUtils.smoothstep(elevation, -0.6, 0.4);
    const free = 1 - 0.985 * THREE.MathUtils.smoothstep(cover, 0.45, 0.95);
    const ofSun = direct.map((t) => SUN * t * risen * free) as Rgb;
    const moonUp = THREE.MathUtils.clamp(28 - elevation * 0.6, 20, 55);
    const dark = 1 - THREE.MathUtils.smoothstep(elevation, -9, -1);
    const ofMoon = MOON.map((m) => m * dark * free) as Rgb;
    const bySun = ofSun[1] >= ofMoon[1];
    this.light = bySun ? this.sun : direction((azimuth + 152) % 360, moonUp);
    this.power = bySun ? ofSun : ofMoon;
    this.fill(air);
    const rise = Math.max(0, this.light.y);
    this.fromSun = this.power.map((p) => p * rise) as Rgb;
    const clear = this.irradiance((d) => this.clear(d));
    // clouds let through about half of what falls on them, and spread it evenly
    const above = [0, 1, 2].map((k) => SUN * (direct[k] ?? 0) * risen * Math.max(0, this.sun.y) + (clear[k] ?? 0));
    const grey = (above[0] ?? 0) * 0.3 + (above[1] ?? 0) * 0.5 + (above[2] ?? 0) * 0.2;
    this.cloud = above.map((a) => (0.42 * (0.75 * grey + 0.25 * a) * 9) / (7 * Math.PI)) as Rgb;
    this.fromSky = this.irradiance((d) => this.radiance(d));
  }

  private fill(air: Transmittance) {
    const { y: sunUp } = this.sun;
    const side = Math.sqrt(Math.max(0, 1 - sunUp * sunUp));
    for (let r = 0; r < HIGH; r++) {
      const up = (r / (HIGH - 1)) ** 2;
      for (let c = 0; c < WIDE; c++) {
        const towards = up * sunUp + Math.sqrt(Math.max(0, 1 - up * up)) * side * Math.cos((Math.PI * c) / (WIDE - 1));
        const found = skyRadiance(up, towards, sunUp, air);
        this.table.set([found[0] + NIGHT[0], found[1] + NIGHT[1], found[2] + NIGHT[2], 1], (r * WIDE + c) * 4);
      }
    }
  }

  /** Radiance of the clear sky in a direction at or above the horizon. */
  clear(d: THREE.Vector3): Rgb {
    const flat = Math.hypot(d.x, d.z) * Math.hypot(this.sun.x, this.sun.z);
    const turn =
      flat > 1e-6 ? Math.acos(THREE.MathUtils.clamp((d.x * this.sun.x + d.z * this.sun.z) / flat, -1, 1)) : 0;
    const [u, v] = [(turn / Math.PI) * (WIDE - 1), Math.sqrt(Math.max(0, d.y)) * (HIGH - 1)];
    const [c, r] = [Math.min(Math.floor(u), WIDE - 2), Math.min(Math.floor(v), HIGH - 2)];
    const at = (i: number, j: number, k: number) => this.table[(i * WIDE + j) * 4 + k] ?? 0;
    const mix = (a: number, b: number, t: number) => a + (b - a) * t;
    return [0, 1, 2].map((k) =>
      mix(mix(at(r, c, k), at(r, c + 1, k), u - c), mix(at(r + 1, c, k), at(r + 1, c + 1, k), u - c), v - r),
    ) as Rgb;
  }

  /** Irradiance on level ground. */
  get level(): Rgb {
    return this.fromSky.map((e, k) => e + (this.fromSun[k] ?? 0)) as Rgb;
  }

  /** How much of the sky clouds hide, as light sees it. */
  get veil(): number {
    const c = this.weather.cover;
    return c * c * (3 - 2 * c);
  }

  /** Radiance with the clouds spread evenly: overcast skies are three times as bright above as at the horizon (Moon and Spencer 1942). */
  radiance(d: THREE.Vector3): Rgb {
    const clear = this.clear(d);
    const grey = (1 + 2 * Math.max(0, d.y)) / 3;
    return clear.map((c, k) => c + this.veil * ((this.cloud[k] ?? 0) * grey - c)) as Rgb;
  }

  /** On level ground, of a sky. */
  private irradiance(radiance: (d: THREE.Vector3) => Rgb): Rgb {
    const sum: Rgb = [0, 0, 0];
    const [rows, columns] = [12, 24];
    for (let r = 0; r < rows; r++)
      for (let c = 0; c < columns; c++) {
        const up = Math.sqrt((r + 0.5) / rows); // by the cosine
        const found = radiance(spread(up, (2 * Math.PI * (c + 0.5)) / columns));
        for (const k of [0, 1, 2] as const) sum[k] += (found[k] * Math.PI) / (rows * columns);
      }
    return sum;
  }

  /** The light of the sky (`part` 'above') or of the ground below, as spherical harmonics of order two (Ramamoorthi and Hanrahan 2001). */
  harmonics(part: 'above' | 'below'): THREE.SphericalHarmonics3 {
    const out = new THREE.SphericalHarmonics3();
    const { level } = this;
    const back = GROUND.map((g, k) => (g / Math.PI) * (level[k] ?? 0)) as Rgb;
    const [rows, columns] = [16, 32];
    const basis = new Array<number>(9).fill(0);
    for (let r = 0; r < rows; r++)
      for (let c = 0; c < columns; c++) {
        const up = (r + 0.5) / rows;
        const d = spread(part === 'above' ? up : -up, (2 * Math.PI * (c + 0.5)) / columns);
        const found = part === 'above' ? this.radiance(d) : back;
        THREE.SphericalHarmonics3.getBasisAt(d, basis);
        basis.forEach((b, k) =>
          out.coefficients[k]?.addScaledVector(new THREE.Vector3(...found), (b * 2 * Math.PI) / (rows * columns)),
        );
      }
    return out;
  }

  /** Radiance of the air far away, level. */
  haze(): Rgb {
    const sum: Rgb = [0, 0, 0];
    for (let c = 0; c < 16; c++) {
      const found = this.radiance(spread(0.035, (2 * Math.PI * c) / 16));
      for (const k of [0, 1, 2] as const) sum[k] += found[k] / 16;
    }
    return sum;
  }

  /** What a picture is exposed by, so that it is light by day and dark, but seen, by night. */
  exposure(): number {
    return 0.62 * (10 / Math.max(this.level[1], 3e-4)) ** 0.72;
  }
}

function spread(up: number, azimuth: number): THREE.Vector3 {
  const flat = Math.sqrt(Math.max(0, 1 - up * up));
  return new THREE.Vector3(flat * Math.sin(azimuth), up, -flat * Math.cos(azimuth));
}
