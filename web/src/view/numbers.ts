/** The pass that tells what is seen at a spot: each instance is drawn in a colour that is its number. */
import * as THREE from 'three';

/** The number of the first instance of what is drawn next. */
export const first = { firstNumber: { value: 0 } };

/** Draws the instances of a slot in their numbers, cut out as `of`; its vertices are still to be set down. */
export function numberMaterial(of: THREE.MeshLambertMaterial): THREE.ShaderMaterial {
  const made = new THREE.ShaderMaterial({
    side: of.side,
    uniforms: {
      ...first,
      map: { value: of.map },
      mapTransform: { value: new THREE.Matrix3() },
      cut: { value: of.alphaTest },
    },
    vertexShader: /* glsl */ `
      #include <common>
      #include <uv_pars_vertex>
      uniform float firstNumber;
      flat varying uint instanceNumber;
      void main() {
        #include <uv_vertex>
        #include <begin_vertex>
        #include <project_vertex>
        instanceNumber = uint(firstNumber) + uint(gl_InstanceID);
      }`,
    fragmentShader: /* glsl */ `
      #include <common>
      #include <uv_pars_fragment>
      #include <map_pars_fragment>
      uniform float cut;
      flat varying uint instanceNumber;
      void main() {
        #ifdef USE_MAP
          if (texture2D(map, vMapUv).a < cut) discard;
        #endif
        gl_FragColor = vec4((uvec4(instanceNumber) >> uvec4(0u, 8u, 16u, 24u)) & 255u) / 255.0;
      }`,
  });
  return Object.assign(made, { map: of.map });
}

/** A draw of instances whose first has the number `start`. */
export function numberedDraw(
  geometry: THREE.BufferGeometry,
  material: THREE.ShaderMaterial,
  start: number,
): THREE.Mesh {
  const made = new THREE.Mesh(geometry, material);
  made.frustumCulled = false;
  made.onBeforeRender = () => {
    first.firstNumber.value = start;
    material.uniformsNeedUpdate = true;
  };
  return made;
}

/** The number that is drawn at one spot of what `camera` sees; 0 where nothing is. */
export async function numberAt(
  gl: THREE.WebGLRenderer,
  draws: THREE.Mesh[],
  camera: THREE.PerspectiveCamera,
): Promise<number> {
  const target = new THREE.WebGLRenderTarget(1, 1);
  const scene = new THREE.Scene();
  scene.add(...draws);
  try {
    const [color, alpha] = [gl.getClearColor(new THREE.Color()), gl.getClearAlpha()];
    gl.setClearColor(0, 0);
    gl.setRenderTarget(target);
    gl.clear();
    gl.render(scene, camera);
    gl.setRenderTarget(null);
    gl.setClearColor(color, alpha);
    const pixel = new Uint8Array(4);
    await gl.readRenderTargetPixelsAsync(target, 0, 0, 1, 1, pixel);
    return new DataView(pixel.buffer).getUint32(0, true);
  } finally {
    target.dispose();
  }
}
