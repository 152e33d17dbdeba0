/**
 * The light of a clear sky: single scattering by air and haze, absorption by ozone (Nishita et al. 1993), with what is
 * scattered more than once as an even part of it. Radiance is in units of an irradiance of `SUN` above the air.
 */
export type Rgb = [number, number, number];

export const SUN = 20;
const EARTH = 6_360e3;
const AIR = 6_460e3; // metres from the middle of the earth to where the air ends
const RAYLEIGH: Rgb = [5.802e-6, 13.558e-6, 33.1e-6]; // scattered a metre at the ground
const OZONE: Rgb = [0.65e-6, 1.881e-6, 0.085e-6]; // absorbed a metre at 25 km
const MIE = 6e-6;
const AGAIN = 0.11; // of the light in the air, what comes from all sides after scattering several times
const STEPS = 18;

const map = (f: (k: 0 | 1 | 2) => number): Rgb => [f(0), f(1), f(2)];

/** Scattering by air, scattering by haze, and extinction, a metre, `height` metres above the ground. */
function airAt(height: number, haze: number): { rayleigh: Rgb; mie: number; extinction: Rgb } {
  const thin = Math.exp(-height / 8_000);
  const mie = MIE * haze * Math.exp(-height / 1_200);
  const ozone = Math.max(0, 1 - Math.abs(height - 25_000) / 15_000);
  const rayleigh = map((k) => RAYLEIGH[k] * thin);
  return { rayleigh, mie, extinction: map((k) => rayleigh[k] + mie * 1.11 + OZONE[k] * ozone) };
}

/** Metres from a point at radius `r` along a ray whose upward part is `mu` to a sphere about the earth; null where it misses. */
function reach(r: number, mu: number, sphere: number): number | null {
  const inside = r * r * (mu * mu - 1) + sphere * sphere;
  if (inside < 0) return null;
  const far = -r * mu + Math.sqrt(inside);
  return far > 0 ? far : null;
}

/** Of the light from the direction with the upward part `mu`, what arrives at a height; nothing through the earth. */
export function transmittance(height: number, mu: number, haze: number): Rgb {
  const r = EARTH + Math.max(1, height);
  if (mu < 0 && r * r * (mu * mu - 1) + EARTH * EARTH >= 0) return [0, 0, 0];
  const far = reach(r, mu, AIR);
  if (far === null) return [1, 1, 1];
  const depth: Rgb = [0, 0, 0];
  const steps = 24;
  for (let s = 0; s < steps; s++) {
    const [a, b] = [(s / steps) ** 2 * far, ((s + 1) / steps) ** 2 * far]; // finer where the air is thick
    const t = (a + b) / 2;
    const { extinction } = airAt(Math.sqrt(r * r + t * t + 2 * r * t * mu) - EARTH, haze);
    for (const k of [0, 1, 2] as const) depth[k] += extinction[k] * (b - a);
  }
  return map((k) => Math.exp(-depth[k]));
}

const [HEIGHTS, RISES] = [28, 72];

/** `transmittance` of one haze, looked up: over the root of the height, and over the upward part from a little below the horizon. */
export class Transmittance {
  private readonly table = new Float32Array(HEIGHTS * RISES * 3);

  constructor(readonly haze: number) {
    for (let i = 0; i < HEIGHTS; i++)
      for (let j = 0; j < RISES; j++) {
        const height = (i / (HEIGHTS - 1)) ** 2 * (AIR - EARTH);
        this.table.set(transmittance(height, -0.25 + 1.25 * (j / (RISES - 1)) ** 1.5, haze), (i * RISES + j) * 3);
      }
  }

  at(height: number, mu: number): Rgb {
    const v = Math.sqrt(Math.min(1, Math.max(0, height) / (AIR - EARTH))) * (HEIGHTS - 1);
    const u = Math.min(1, Math.max(0, (mu + 0.25) / 1.25)) ** (1 / 1.5) * (RISES - 1);
    const [i, j] = [Math.min(Math.floor(v), HEIGHTS - 2), Math.min(Math.floor(u), RISES - 2)];
    const [f, g] = [v - i, u - j];
    const a = (i * RISES + j) * 3;
    const b = a + RISES * 3;
    const { table } = this;
    return map((k) => {
      const low = (table[a + k] ?? 0) * (1 - g) + (table[a + 3 + k] ?? 0) * g;
      const top = (table[b + k] ?? 0) * (1 - g) + (table[b + 3 + k] ?? 0) * g;
      return low * (1 - f) + top * f;
    });
  }
}

/** Of the sunlight, what lights the whole air above a place evenly: after sunset it fades, a hundredfold in six degrees. */
function glow(sunUp: number, through: Transmittance): Rgb {
  const [r, g, b] = through.at(5_000, Math.max(sunUp, 0.012));
  const under = Math.max(0, (-Math.asin(sunUp) * 180) / Math.PI);
  const fade = Math.exp(-0.75 * under);
  const blue = Math.min(1, under / 6); // what comes through the ozone at a slant
  return [r * fade * (1 - 0.45 * blue), g * fade * (1 - 0.2 * blue), b * fade];
}

/** Radiance of the clear sky in a direction: its upward part, the cosine from the sun, and the sun's upward part. */
export function skyRadiance(up: number, towards: number, sunUp: number, air: Transmittance): Rgb {
  const r = EARTH + 200;
  const mu = Math.max(up, 0.002);
  const far = reach(r, mu, AIR) ?? 0;
  const rayleighPhase = (3 / (16 * Math.PI)) * (1 + towards * towards);
  const g = 0.78;
  const miePhase =
    ((3 / (8 * Math.PI)) * ((1 - g * g) * (1 + towards * towards))) /
    ((2 + g * g) * (1 + g * g - 2 * g * towards) ** 1.5);
  const even = glow(sunUp, air);
  const out: Rgb = [0, 0, 0];
  const depth: Rgb = [0, 0, 0];
  for (let s = 0; s < STEPS; s++) {
    const [a, b] = [(s / STEPS) ** 2 * far, ((s + 1) / STEPS) ** 2 * far];
    const t = (a + b) / 2;
    const here = Math.sqrt(r * r + t * t + 2 * r * t * mu);
    const { rayleigh, mie, extinction } = airAt(here - EARTH, air.haze);
    // the sun's height as seen from there: the earth curves away below it
    const side = Math.sqrt(Math.max(0, 1 - mu * mu)) * Math.sqrt(Math.max(0, 1 - sunUp * sunUp));
    const along = side > 1e-6 ? (towards - mu * sunUp) / side : 0;
    const sunThere = (r * sunUp + t * (mu * sunUp + along * side)) / here;
    const light = air.at(here - EARTH, sunThere);
    for (const k of [0, 1, 2] as const) {
      const step = extinction[k] * (b - a);
      const through = Math.exp(-depth[k]) * (step > 1e-9 ? (1 - Math.exp(-step)) / extinction[k] : b - a);
      const once = light[k] * (rayleigh[k] * rayleighPhase + mie * miePhase);
      out[k] += SUN * through * (once + even[k] * (rayleigh[k] + mie) * AGAIN);
      depth[k] += step;
    }
  }
  return out;
}
