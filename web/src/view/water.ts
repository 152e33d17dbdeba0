/** Standing water: mirrors the sky and, when the camera rests, what stands about it. */
import * as THREE from 'three';
import type { Atmosphere } from './atmosphere';
import { wind } from './materials';
import { NOISE, SKY } from './shaders';

export class Water {
  readonly mesh: THREE.Mesh<THREE.PlaneGeometry, THREE.ShaderMaterial>;
  private readonly target = new THREE.WebGLRenderTarget(512, 512, { type: THREE.HalfFloatType });
  private readonly mirror = new THREE.PerspectiveCamera();
  private readonly matrix = new THREE.Matrix4();

  constructor(atmosphere: Atmosphere) {
    const material = new THREE.ShaderMaterial({
      transparent: true,
      uniforms: {
        ...atmosphere.uniforms,
        ...wind,
        mirrorMap: { value: this.target.texture },
        mirrorMatrix: { value: this.matrix },
        mirrored: { value: 0 },
        fogTone: { value: atmosphere.fog.color },
        fogThick: atmosphere.fogThick,
      },
      vertexShader: /* glsl */ `
        uniform mat4 mirrorMatrix;
        varying vec3 place;
        varying vec4 mirrorPlace;
        void main() {
          vec4 world = modelMatrix * vec4(position, 1.0);
          place = world.xyz;
          mirrorPlace = mirrorMatrix * world;
          gl_Position = projectionMatrix * viewMatrix * world;
        }`,
      fragmentShader: /* glsl */ `
        ${NOISE}${SKY}
        uniform sampler2D mirrorMap;
        uniform float mirrored;
        uniform float windTime;
        uniform vec2 windForce;
        uniform vec3 fogTone;
        uniform float fogThick;
        varying vec3 place;
        varying vec4 mirrorPlace;
        void main() {
          vec3 eye = cameraPosition - place;
          float away = length(eye);
          vec3 v = eye / away;
          float rough = 0.005 + 0.0022 * length(windForce);
          vec2 p = place.xz * 0.9 + windForce * windTime * 0.05;
          float e = 0.12;
          float h = fbm2(p * 1.7);
          vec2 slope = (vec2(fbm2((p + vec2(e, 0.0)) * 1.7), fbm2((p + vec2(0.0, e)) * 1.7)) - h) / e * rough * 2.4;
          slope *= 1.0 - smoothstep(30.0, 160.0, away) * 0.7;
          vec3 n = normalize(vec3(-slope.x, 1.0, -slope.y));
          vec3 r = reflect(-v, n);
          r.y = abs(r.y);
          vec3 sky = skyColor(normalize(r));
          vec2 uv = mirrorPlace.xy / mirrorPlace.w * 0.5 + 0.5 + n.xz * 0.22;
          vec4 seen = texture2D(mirrorMap, clamp(uv, 0.002, 0.998));
          vec3 reflection = mix(sky, seen.rgb, mirrored * seen.a);
          float fresnel = 0.03 + 0.97 * pow(1.0 - max(dot(v, n), 0.0), 4.2);
          vec3 deep = vec3(0.030, 0.036, 0.024);
          float glint = pow(max(dot(r, sunDirection), 0.0), 420.0) * 5.0;
          vec3 c = mix(deep, reflection, fresnel) + skySun * glint;
          float fog = 1.0 - exp(-fogThick * fogThick * away * away);
          gl_FragColor = vec4(mix(c, fogTone, fog), mix(0.80, 1.0, fresnel));
          #include <tonemapping_fragment>
          #include <colorspace_fragment>
        }`,
    });
    this.mesh = new THREE.Mesh(new THREE.PlaneGeometry(1, 1).rotateX(-Math.PI / 2), material);
    this.mesh.renderOrder = 4;
    this.mesh.visible = false;
  }

  set(level: number | null, size: number) {
    this.mesh.visible = level !== null;
    this.mesh.position.y = level ?? 0;
    this.mesh.scale.set(size, 1, size);
  }

  /** Draw what the water mirrors; not while the camera moves. */
  reflect(
    renderer: THREE.WebGLRenderer,
    scene: THREE.Scene,
    camera: THREE.PerspectiveCamera,
    dome: THREE.Object3D,
    off: boolean,
  ) {
    const uniforms = this.mesh.material.uniforms;
    if (!this.mesh.visible) return;
    const level = this.mesh.position.y;
    if (off || camera.position.y <= level) {
      (uniforms.mirrored as THREE.IUniform).value = 0;
      return;
    }
    const flip = new THREE.Matrix4().set(1, 0, 0, 0, 0, -1, 0, 2 * level, 0, 0, 1, 0, 0, 0, 0, 1);
    camera.updateMatrixWorld();
    this.mirror.copy(camera, false);
    this.mirror.matrixAutoUpdate = false;
    // mirrored twice (the world, and the picture from left to right), so that triangles keep their winding
    const turn = new THREE.Matrix4().makeScale(1, -1, 1);
    this.mirror.matrixWorld.multiplyMatrices(flip, camera.matrixWorld).multiply(turn);
    this.mirror.matrix.copy(this.mirror.matrixWorld);
    this.mirror.matrixWorldInverse.copy(this.mirror.matrixWorld).invert();
    this.mirror.matrixWorldAutoUpdate = false;
    this.matrix.multiplyMatrices(this.mirror.projectionMatrix, this.mirror.matrixWorldInverse);
    const plane = new THREE.Plane(new THREE.Vector3(0, 1, 0), -level + 0.02);
    const shadows = renderer.shadowMap.needsUpdate;
    const tone = renderer.toneMapping;
    const { clippingPlanes } = renderer;
    this.mesh.visible = dome.visible = false;
    renderer.toneMapping = THREE.NoToneMapping;
    renderer.shadowMap.needsUpdate = false;
    renderer.clippingPlanes = [plane];
    this.target.setSize(Math.ceil(renderer.domElement.width / 2), Math.ceil(renderer.domElement.height / 2));
    renderer.setRenderTarget(this.target);
    renderer.setClearColor(0x000000, 0);
    renderer.clear();
    renderer.render(scene, this.mirror);
    renderer.setRenderTarget(null);
    renderer.clippingPlanes = clippingPlanes;
    renderer.toneMapping = tone;
    renderer.shadowMap.needsUpdate = shadows;
    this.mesh.visible = dome.visible = true;
    (uniforms.mirrored as THREE.IUniform).value = 1;
  }

  dispose() {
    this.target.dispose();
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
  }
}
