// Maps thrown onto a slot from three sides, while that is being decided: drawn by the formula of the core's materials/triplanar.py.
import type { MeshPhysicalMaterial } from 'three'
import { MeshStandardMaterial, ShaderChunk } from 'three'
import { create } from 'zustand'

export interface Sides {
  /** Metres that a picture covers. */
  metres: number
  hardness: number
  offset: number
}

interface Preview {
  of: string | null
  slot: string | null
  sides: Sides
  show: (of: string, slot: string, sides: Sides) => void
  end: () => void
}

export const useSidesPreview = create<Preview>((set) => ({
  of: null,
  slot: null,
  sides: { metres: 1, hardness: 4, offset: 0 },
  show: (of, slot, sides) => set({ of, slot, sides }),
  end: () => set({ of: null, slot: null }),
}))

const VERTEX = `
varying vec3 thrownPlace;
varying vec3 thrownUp;
`

const FRAGMENT = `
uniform float thrownMetres;
uniform float thrownHardness;
uniform float thrownOffset;
uniform mat3 normalMatrix;
varying vec3 thrownPlace;
varying vec3 thrownUp;

vec3 thrownWeights(vec3 up) {
  vec3 bare = max(abs(up) - min(thrownOffset, 0.57), 0.0);
  bare /= max(max(bare.x, max(bare.y, bare.z)), 1e-6);
  bare = pow(bare, vec3(thrownHardness));
  return bare / (bare.x + bare.y + bare.z);
}
void thrownAxes(int axis, float side, out vec3 right, out vec3 above) {
  right = axis == 0 ? vec3(0.0, 0.0, -side) : axis == 1 ? vec3(1.0, 0.0, 0.0) : vec3(side, 0.0, 0.0);
  above = axis == 1 ? vec3(0.0, 0.0, -side) : vec3(0.0, 1.0, 0.0);
}
vec4 thrownRead(sampler2D picture, vec3 right, vec3 above) {
  vec2 uv = vec2(dot(thrownPlace, right), -dot(thrownPlace, above)) / thrownMetres;
  return textureGrad(picture, fract(uv), dFdx(uv), dFdy(uv));
}
vec4 thrown(sampler2D picture) {
  vec3 up = normalize(thrownUp);
  vec3 weights = thrownWeights(up);
  vec4 sum = vec4(0.0);
  for (int axis = 0; axis < 3; axis += 1) {
    vec3 right, above;
    thrownAxes(axis, up[axis] < 0.0 ? -1.0 : 1.0, right, above);
    sum += weights[axis] * thrownRead(picture, right, above);
  }
  return sum;
}
vec3 thrownNormal(sampler2D picture, vec2 strength) {
  vec3 up = normalize(thrownUp);
  vec3 weights = thrownWeights(up);
  vec3 sum = vec3(0.0);
  for (int axis = 0; axis < 3; axis += 1) {
    vec3 right, above;
    thrownAxes(axis, up[axis] < 0.0 ? -1.0 : 1.0, right, above);
    vec3 read = thrownRead(picture, right, above).xyz * 2.0 - 1.0;
    read.xy *= strength;
    sum += weights[axis] * (read.x * right + read.y * above + read.z * up);
  }
  return normalize(normalMatrix * sum);
}
`

/** Where the library reads a picture by UVs, and what reads it from three sides instead. */
const READS: [RegExp, string][] = [
  [/texture2D\( map, vMapUv \)/, 'thrown( map )'],
  [/texture2D\( roughnessMap, vRoughnessMapUv \)/, 'thrown( roughnessMap )'],
  [/texture2D\( metalnessMap, vMetalnessMapUv \)/, 'thrown( metalnessMap )'],
  [/texture2D\( emissiveMap, vEmissiveMapUv \)/, 'thrown( emissiveMap )'],
  [/texture2D\( aoMap, vAoMapUv \)/, 'thrown( aoMap )'],
]

/** The library's pieces in which pictures are read. */
const CHUNKS: Record<string, string> = {
  map_fragment: ShaderChunk.map_fragment,
  roughnessmap_fragment: ShaderChunk.roughnessmap_fragment,
  metalnessmap_fragment: ShaderChunk.metalnessmap_fragment,
  emissivemap_fragment: ShaderChunk.emissivemap_fragment,
  aomap_fragment: ShaderChunk.aomap_fragment,
  normal_fragment_maps:
    '#ifdef USE_NORMALMAP_TANGENTSPACE\nnormal = thrownNormal( normalMap, normalScale ) * ( gl_FrontFacing ? 1.0 : -1.0 );\n#endif',
}

/** A material that shows the pictures of another as they would be thrown; `setSides` says how. */
export function triplanarMaterial(worn: MeshPhysicalMaterial): MeshStandardMaterial {
  const made = new MeshStandardMaterial()
  // A standard material takes of a physical one what it has a place for. Its user data would be written out, pictures and all.
  const { userData } = worn
  worn.userData = {}
  MeshStandardMaterial.prototype.copy.call(made, worn)
  worn.userData = userData
  const held = {
    thrownMetres: { value: 1 },
    thrownHardness: { value: 4 },
    thrownOffset: { value: 0 },
  }
  made.userData.held = held
  made.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, held)
    shader.vertexShader = `${VERTEX}${shader.vertexShader}`.replace(
      '#include <begin_vertex>',
      '#include <begin_vertex>\nthrownPlace = position;\nthrownUp = normal;',
    )
    let body = shader.fragmentShader
    for (const [chunk, words] of Object.entries(CHUNKS))
      body = body.replace(`#include <${chunk}>`, words)
    for (const [read, instead] of READS) body = body.replace(read, instead)
    shader.fragmentShader = `${FRAGMENT}${body}`
  }
  made.customProgramCacheKey = () => 'thrown'
  return made
}

export function setSides(material: MeshStandardMaterial, { metres, hardness, offset }: Sides) {
  const held = material.userData.held as Record<string, { value: number }>
  held.thrownMetres!.value = Math.max(1e-4, metres)
  held.thrownHardness!.value = hardness
  held.thrownOffset!.value = offset
}
