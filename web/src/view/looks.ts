/** Materials that show what a mesh holds: a texture check, vertex channels, how often pixels are drawn over. */
import * as THREE from 'three';

export type Channel = 'sway' | 'phase' | 'flutter' | 'occlusion' | 'tint' | 'away';
const SWIZZLE: Record<Channel, string> = {
  sway: 'vec3(_wind.x)',
  phase: 'abs(fract(_wind.y + vec3(0.0, 0.667, 0.333)) * 6.0 - 3.0) - 1.0',
  flutter: 'vec3(_wind.z)',
  occlusion: 'vec3(_wind.w)',
  tint: 'pow(color.rgb, vec3(0.4545))',
  away: 'heat(_masks.x)',
};

/** Squares with letters' worth of direction: even squares mean even texels, and a corner tells which way is up. */
export function checker(): THREE.MeshLambertMaterial {
  const canvas = document.createElement('canvas');
  canvas.width = canvas.height = 256;
  const g = canvas.getContext('2d');
  if (g) {
    for (let j = 0; j < 8; j++)
      for (let i = 0; i < 8; i++) {
        g.fillStyle = (i + j) % 2 ? '#e9e2cf' : (['#6d8a5b', '#5b7d8a', '#b98a4a', '#9a6a7c'][(i >> 1) % 4] ?? '#888');
        g.fillRect(i * 32, j * 32, 32, 32);
        g.fillStyle = '#232b20';
        g.fillRect(i * 32 + 3, j * 32 + 3, 8, 3);
      }
  }
  const map = new THREE.CanvasTexture(canvas);
  map.wrapS = map.wrapT = THREE.RepeatWrapping;
  map.colorSpace = THREE.SRGBColorSpace;
  return new THREE.MeshLambertMaterial({ map, side: THREE.DoubleSide });
}

/** Kept beside a material, and freed with it. */
function lasting<M extends THREE.Material>(kept: Map<string, M>, key: string, made: M, of: THREE.Material) {
  kept.set(key, made);
  of.addEventListener('dispose', () => {
    kept.delete(key);
    made.dispose();
  });
}

const channels = new Map<string, THREE.ShaderMaterial>();

/** One vertex channel as brightness (the phase as hue). */
export function channelMaterial(channel: Channel, of: THREE.MeshLambertMaterial): THREE.ShaderMaterial {
  const key = `${channel} ${of.uuid}`;
  let made = channels.get(key);
  if (!made) {
    made = new THREE.ShaderMaterial({
      side: of.side,
      uniforms: { picture: { value: of.map }, cut: { value: of.map ? of.alphaTest : 0 } },
      vertexShader: /* glsl */ `
        attribute vec4 _wind;
        attribute vec4 color;
        attribute vec4 _masks;
        varying vec3 shade;
        varying vec2 at;
        vec3 heat(float t) {
          vec3 low = mix(vec3(0.17, 0.25, 0.33), vec3(0.25, 0.52, 0.51), smoothstep(0.0, 0.33, t));
          vec3 high = mix(low, vec3(0.93, 0.82, 0.5), smoothstep(0.33, 0.66, t));
          return mix(high, vec3(0.75, 0.24, 0.15), smoothstep(0.66, 1.0, t));
        }
        void main() {
          shade = clamp(${SWIZZLE[channel]}, 0.0, 1.0);
          at = uv;
          gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
        }`,
      fragmentShader: /* glsl */ `
        uniform sampler2D picture;
        uniform float cut;
        varying vec3 shade;
        varying vec2 at;
        void main() {
          if (cut > 0.0 && texture2D(picture, at).a < cut) discard;
          gl_FragColor = vec4(pow(shade, vec3(2.2)), 1.0);
        }`,
    });
    lasting(channels, key, made, of);
  }
  return made;
}

const layers = new Map<string, THREE.MeshBasicMaterial>();

/** Adds light for every time a pixel is drawn, hidden or cut out: what is bright costs fill rate. */
export function overdrawMaterial(of: THREE.MeshLambertMaterial): THREE.MeshBasicMaterial {
  let made = layers.get(of.uuid);
  if (!made) {
    made = new THREE.MeshBasicMaterial({
      color: new THREE.Color(0.055, 0.028, 0.012),
      blending: THREE.AdditiveBlending,
      transparent: true,
      depthTest: false,
      depthWrite: false,
      side: of.side,
    });
    lasting(layers, of.uuid, made, of);
  }
  return made;
}
