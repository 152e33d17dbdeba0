/** GLSL shared by the materials: noise, and the sky seen in a direction. */
export const NOISE = /* glsl */ `
float hash12(vec2 p) {
  vec3 q = fract(vec3(p.xyx) * 0.1031);
  q += dot(q, q.yzx + 33.33);
  return fract((q.x + q.y) * q.z);
}
float value2(vec2 p) {
  vec2 i = floor(p), f = fract(p);
  f = f * f * (3.0 - 2.0 * f);
  return mix(mix(hash12(i), hash12(i + vec2(1, 0)), f.x), mix(hash12(i + vec2(0, 1)), hash12(i + vec2(1, 1)), f.x), f.y);
}
float fbm2(vec2 p) {
  float s = 0.0, a = 0.5;
  for (int i = 0; i < 4; i++) { s += a * value2(p); p = mat2(1.6, 1.2, -1.2, 1.6) * p; a *= 0.5; }
  return s;
}
`;

export const SKY = /* glsl */ `
uniform vec3 skyTop;
uniform vec3 skyLow;
uniform vec3 skySun;
uniform vec3 sunDirection;
vec3 skyColor(vec3 d) {
  float up = clamp(d.y, 0.0, 1.0);
  vec3 c = mix(skyLow, skyTop, pow(up, 0.55));
  float s = max(dot(normalize(d), sunDirection), 0.0);
  c += skySun * (0.35 * pow(s, 12.0) + 0.12 * pow(s, 3.0));
  if (d.y > 0.01) {
    vec2 p = d.xz / (d.y + 0.18) * 1.3;
    float cloud = smoothstep(0.50, 0.80, fbm2(p + 7.3)) * smoothstep(0.01, 0.22, d.y);
    c = mix(c, skyLow * 1.12 + skySun * 0.22 * pow(s, 4.0), cloud * 0.62);
  }
  return c;
}
`;
