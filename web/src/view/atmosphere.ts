/** Sun, sky and fog, in the tone of the theme. */
import * as THREE from 'three';
import { NOISE, SKY } from './shaders';

const PALETTE = {
  light: { top: '#7fa6c4', low: '#e3e6dd', night: '#9aa7ae' },
  dusk: { top: '#41546b', low: '#c9a98c', night: '#39424e' },
};

export class Atmosphere {
  readonly sun = new THREE.DirectionalLight('#fff2dc', 3);
  readonly fill = new THREE.HemisphereLight('#c9d9e6', '#6d6a4a', 1.1);
  readonly dome: THREE.Mesh;
  readonly direction = new THREE.Vector3(0.4, 0.6, 0.5);
  /** Shared by every material that shows the sky. */
  readonly uniforms = {
    skyTop: { value: new THREE.Color() },
    skyLow: { value: new THREE.Color() },
    skySun: { value: new THREE.Color() },
    sunDirection: { value: this.direction },
  };
  readonly fog = new THREE.FogExp2('#dfe3da', 0.0022);
  readonly fogThick = { value: 0.0022 };
  private azimuth = 215;
  private elevation = 34;
  private dusk = false;

  constructor(scene: THREE.Scene) {
    const material = new THREE.ShaderMaterial({
      uniforms: this.uniforms,
      side: THREE.BackSide,
      depthWrite: false,
      vertexShader:
        'varying vec3 dir; void main() { dir = position; gl_Position = projectionMatrix * mat4(mat3(modelViewMatrix)) * vec4(position, 1.0); gl_Position.z = gl_Position.w * 0.99999; }',
      fragmentShader: `${NOISE}${SKY}
        varying vec3 dir;
        void main() {
          gl_FragColor = vec4(skyColor(normalize(dir)), 1.0);
          #include <tonemapping_fragment>
          #include <colorspace_fragment>
        }`,
    });
    this.dome = new THREE.Mesh(new THREE.SphereGeometry(100, 24, 16), material);
    this.dome.frustumCulled = false;
    this.dome.renderOrder = -10;
    this.sun.castShadow = true;
    this.sun.shadow.mapSize.set(2048, 2048);
    this.sun.shadow.bias = -0.0006;
    this.sun.shadow.normalBias = 0.06;
    this.sun.shadow.radius = 2.5;
    scene.add(this.dome, this.sun, this.sun.target, this.fill);
    scene.fog = this.fog;
    this.update();
  }

  dispose() {
    this.dome.geometry.dispose();
    (this.dome.material as THREE.Material).dispose();
    this.sun.dispose(); // with its shadow map
    this.fill.dispose();
  }

  set(azimuth: number, elevation: number, dusk: boolean) {
    this.azimuth = azimuth;
    this.elevation = elevation;
    this.dusk = dusk;
    this.update();
  }

  /** The air over a ground of `size` metres a side. */
  spread(size: number) {
    this.fog.density = this.fogThick.value = 0.62 / Math.max(400, size * 1.1);
  }

  private update() {
    const e = THREE.MathUtils.degToRad(Math.max(3, this.elevation));
    const a = THREE.MathUtils.degToRad(this.azimuth);
    this.direction.set(Math.sin(a) * Math.cos(e), Math.sin(e), -Math.cos(a) * Math.cos(e));
    const palette = this.dusk ? PALETTE.dusk : PALETTE.light;
    const day = THREE.MathUtils.smoothstep(this.elevation, 0, 28);
    const warm = 1 - THREE.MathUtils.smoothstep(this.elevation, 4, 38);
    const { skyTop, skyLow, skySun } = this.uniforms;
    skyTop.value.set(palette.night).lerp(new THREE.Color(palette.top), day);
    skyLow.value.set(palette.low).lerp(new THREE.Color('#f0c899'), warm * 0.42);
    skySun.value
      .set('#fff0d4')
      .lerp(new THREE.Color('#ffb066'), warm)
      .multiplyScalar(0.45 + 0.5 * warm);
    this.sun.color.set('#fff4e2').lerp(new THREE.Color('#ffbd7c'), warm * 0.85);
    this.sun.intensity = (this.dusk ? 2.3 : 3.1) * (0.35 + 0.65 * day);
    this.fill.color.copy(skyTop.value).lerp(new THREE.Color('#ffffff'), 0.35);
    this.fill.groundColor.set('#7d7a52').lerp(skyLow.value, 0.15);
    this.fill.intensity = (this.dusk ? 1.7 : 2.7) * (0.55 + 0.45 * day);
    this.fog.color.copy(skyLow.value);
  }

  /** Fit the shadow's box about `centre`. */
  aim(centre: THREE.Vector3, reach: number) {
    const box = this.sun.shadow.camera;
    const texel = (2 * reach) / this.sun.shadow.mapSize.x;
    const c = centre.clone();
    c.set(Math.round(c.x / texel) * texel, c.y, Math.round(c.z / texel) * texel);
    this.sun.target.position.copy(c);
    this.sun.position.copy(c).addScaledVector(this.direction, reach * 2.5);
    box.left = box.bottom = -reach;
    box.right = box.top = reach;
    box.near = reach * 0.1;
    box.far = reach * 6;
    box.updateProjectionMatrix();
    this.sun.target.updateMatrixWorld();
  }
}
