/** What lights a scene: the sun or the moon, and the sky, sampled one direction a frame. */
import * as THREE from 'three';
import { SKY, SkyUniforms } from './clouds';
import { onDisc, r2, skyDirection } from './light/sampling';
import type { Rgb } from './light/scattering';
import { Sky, type Weather } from './light/sky';

const SUN_RADIUS = 0.012; // radians; wider than it is, for the haze about it
const OPEN = 0.2; // of the light of the sky, what comes past every obstacle: leaves and ground pass it on

export class Atmosphere {
  /** The sun, or at night the moon. */
  readonly sun = directional(2048);
  /** One direction of the sky. */
  readonly part = directional(1024);
  /** The whole sky, and the light that the ground sends back, without shadows. */
  private readonly above = new THREE.LightProbe();
  private readonly below = new THREE.LightProbe();
  readonly dome: THREE.Mesh;
  readonly fog = new THREE.FogExp2('#ffffff', 1e-4);
  /** Shared by every material that shows the sky. */
  readonly sky = new SkyUniforms();
  private state: Sky;
  private readonly centre = new THREE.Vector3();
  private reach = 60;

  constructor(
    scene: THREE.Scene,
    weather: Weather = { azimuth: 215, elevation: 34, cover: 0.3, mist: 0.1 },
    /** Albedo of the land beyond the scene. */
    private readonly beyond: Rgb = [0.072, 0.094, 0.02],
  ) {
    this.state = new Sky(weather);
    const material = new THREE.ShaderMaterial({
      uniforms: this.sky.values,
      side: THREE.BackSide,
      depthWrite: false,
      toneMapped: false,
      vertexShader:
        'varying vec3 dir; void main() { dir = position; gl_Position = projectionMatrix * mat4(mat3(modelViewMatrix)) * vec4(position, 1.0); gl_Position.z = gl_Position.w * 0.99999; }',
      fragmentShader: `#include <common>
        ${SKY}
        varying vec3 dir;
        void main() { gl_FragColor = vec4(beyond(normalize(dir), cameraPosition.y), 1.0); }`,
    });
    this.dome = new THREE.Mesh(new THREE.SphereGeometry(100, 24, 16), material);
    this.dome.frustumCulled = false;
    this.dome.renderOrder = 3; // after what hides it
    scene.add(this.dome, this.sun, this.sun.target, this.part, this.part.target, this.above, this.below);
    scene.fog = this.fog;
    this.apply();
  }

  dispose() {
    this.dome.geometry.dispose();
    (this.dome.material as THREE.Material).dispose();
    this.sun.dispose(); // with its shadow map
    this.part.dispose();
    this.sky.dispose();
  }

  set(weather: Weather) {
    const now = this.state.weather;
    const same = (Object.keys(weather) as (keyof Weather)[]).every((k) => weather[k] === now[k]);
    if (same) return;
    this.state = new Sky(weather);
    this.apply();
  }

  /** The height of the land beyond the scene. */
  stand(height: number) {
    this.sky.values.skyFoot.value = height;
  }

  get exposure(): number {
    return this.state.exposure();
  }

  /** Irradiance on level ground. */
  get level(): Rgb {
    return this.state.level;
  }

  /** How far lamps are lit, from 0 by day to 1. */
  get lamps(): number {
    return 1 - THREE.MathUtils.smoothstep(this.state.weather.elevation, 1, 4);
  }

  private apply() {
    const { state } = this;
    const air = 1.2e-4 * (1 + 70 * state.weather.mist ** 2);
    this.sky.set(state, air, this.beyond);
    this.fog.density = air;
    this.fog.color.setRGB(...state.haze());
    this.sun.color.setRGB(...state.power);
    this.above.sh.copy(state.harmonics('above'));
    this.below.sh.copy(state.harmonics('below'));
  }

  /** Where shadows are wanted: middle and reach in metres. */
  aim(centre: THREE.Vector3, reach: number) {
    this.centre.copy(centre);
    this.reach = reach;
  }

  /** Light the `k`th frame of a plate; the first, and pictures in between, have the whole sky without its shadows. */
  light(k: number, shadows: boolean) {
    const { light } = this.state;
    const [u, v] = r2(k);
    const across = new THREE.Vector3(-light.z, 0, light.x).normalize();
    if (across.lengthSq() < 0.5) across.set(1, 0, 0);
    const [x, y] = k ? onDisc(...r2(k + 7)) : [0, 0];
    const towards = light
      .clone()
      .addScaledVector(across, x * SUN_RADIUS)
      .addScaledVector(new THREE.Vector3().crossVectors(light, across), y * SUN_RADIUS)
      .normalize();
    this.fit(this.sun, towards, shadows);
    if (k === 0) {
      this.part.color.setRGB(0, 0, 0);
      this.above.intensity = 0.76; // about what the shadows of the sky leave
      this.below.intensity = 0.9;
      return;
    }
    const { up, azimuth, weight } = skyDirection(u, v);
    const level = Math.sqrt(1 - up * up);
    const from = new THREE.Vector3(
      level * Math.sin(azimuth),
      Math.max(up, 0.03),
      -level * Math.cos(azimuth),
    ).normalize();
    const radiance = this.state.radiance(from);
    this.part.color.setRGB(...radiance).multiplyScalar(weight * (1 - OPEN));
    this.above.intensity = OPEN;
    this.below.intensity = 1;
    this.fit(this.part, from, shadows);
  }

  /** Fit a light's shadows about what is seen. */
  private fit(light: THREE.DirectionalLight, towards: THREE.Vector3, shadows: boolean) {
    const { centre, reach } = this;
    light.target.position.copy(centre);
    light.position.copy(centre).addScaledVector(towards, reach * 2.5);
    const box = light.shadow.camera;
    box.left = box.bottom = -reach;
    box.right = box.top = reach;
    box.near = reach * 0.1;
    box.far = reach * 5;
    box.updateProjectionMatrix();
    light.shadow.radius = reach; // by which programs know how it is bent
    light.target.updateMatrixWorld();
    light.updateMatrixWorld();
    light.shadow.needsUpdate = shadows;
  }
}

function directional(size: number): THREE.DirectionalLight {
  const made = new THREE.DirectionalLight('#ffffff', 1);
  made.castShadow = true;
  made.shadow.autoUpdate = false;
  made.shadow.mapSize.set(size, size);
  made.shadow.bias = -0.0004;
  made.shadow.normalBias = 0.05;
  return made;
}
