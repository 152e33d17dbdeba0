/** About how much of the graphics card's memory a scene takes. */
import * as THREE from 'three';

const CHANNEL: Record<number, number> = { [THREE.FloatType]: 4, [THREE.HalfFloatType]: 2 }; // bytes; 1 of all others
const CHANNELS: Record<number, number> = { [THREE.RedFormat]: 1, [THREE.RGFormat]: 2 }; // 4 of all others

/** Bytes of a texture with its smaller levels. */
function textureBytes(texture: THREE.Texture): number {
  const {
    width = 0,
    height = 0,
    depth = 1,
  } = (texture.image ?? {}) as { width?: number; height?: number; depth?: number };
  const texel = (CHANNEL[texture.type] ?? 1) * (CHANNELS[texture.format] ?? 4);
  return width * height * depth * texel * (texture.generateMipmaps ? 4 / 3 : 1);
}

/** Bytes of what is drawn into, its depth included. */
export const targetBytes = ({ texture, depthBuffer, width, height }: THREE.RenderTarget) =>
  textureBytes(texture) + (depthBuffer ? 4 * width * height : 0);

function texturesOf(material: THREE.Material): THREE.Texture[] {
  const uniforms =
    material instanceof THREE.ShaderMaterial ? Object.values(material.uniforms).map((u) => u.value as unknown) : [];
  return [...Object.values(material), ...uniforms].filter((v): v is THREE.Texture => v instanceof THREE.Texture);
}

/** Bytes of all meshes, lists of instances and textures in a scene, and of its lights' shadow maps. */
export function sceneBytes(scene: THREE.Scene): number {
  const arrays = new Set<ArrayLike<number> & { byteLength: number }>();
  const textures = new Set<THREE.Texture>();
  let bytes = 0;
  scene.traverse((object) => {
    if (object instanceof THREE.DirectionalLight && object.shadow.map) bytes += targetBytes(object.shadow.map);
    if (!(object instanceof THREE.Mesh)) return;
    const { attributes, index } = object.geometry as THREE.BufferGeometry;
    for (const attribute of [...Object.values(attributes), index])
      if (attribute && 'array' in attribute) arrays.add(attribute.array);
    for (const material of [object.material as THREE.Material | THREE.Material[]].flat())
      for (const texture of texturesOf(material)) textures.add(texture);
  });
  for (const { byteLength } of arrays) bytes += byteLength;
  for (const texture of textures) bytes += textureBytes(texture);
  return bytes;
}
