// Height drawn as depth: what is looked up on a surface is moved along the ray into it until that meets the
// height field. Source of the way: parallax mapping by steps (Tatarchuk 2006), as graphics books tell it.
import { ShaderChunk } from 'three'
import type { MeshPhysicalMaterial } from 'three'

const STEPS = 32
const MAPS = [
  'Map',
  'NormalMap',
  'RoughnessMap',
  'MetalnessMap',
  'AoMap',
  'EmissiveMap',
  'SpecularIntensityMap',
  'ClearcoatMap',
  'ClearcoatRoughnessMap',
  'SheenColorMap',
  'SheenRoughnessMap',
  'TransmissionMap',
  'ThicknessMap',
]
const LOOKED_UP = new RegExp(`\\bv(${MAPS.join('|')})Uv\\b`, 'g')
const MAIN = 'void main() {'

// The height lies in the library's place for bumps, which it then looks up but does not shade by: what is
// shaded is the normal map's alone, as everywhere else.
const INTO = `
  vec2 intoIt = vec2( 0.0 );
  #ifdef USE_BUMPMAP
  if ( heightDepth > 0.0 ) {
    vec3 across = dFdx( - vViewPosition ), down = dFdy( - vViewPosition );
    vec2 uvAcross = dFdx( vBumpMapUv ), uvDown = dFdy( vBumpMapUv );
    vec3 up = normalize( vNormal ) * ( gl_FrontFacing ? 1.0 : - 1.0 );
    vec3 downUp = cross( down, up ), upAcross = cross( up, across );
    vec3 alongU = downUp * uvAcross.x + upAcross * uvDown.x;
    vec3 alongV = downUp * uvAcross.y + upAcross * uvDown.y;
    float scale = inversesqrt( max( max( dot( alongU, alongU ), dot( alongV, alongV ) ), 1e-20 ) );
    vec3 eye = normalize( vViewPosition );
    vec3 seen = vec3( dot( eye, alongU ) * scale, dot( eye, alongV ) * scale, dot( eye, up ) );
    vec2 way = - seen.xy / max( seen.z, 0.2 ) * heightDepth / ${STEPS}.0;
    float layer = 0.0, before = 0.0;
    float deep = 1.0 - textureGrad( bumpMap, vBumpMapUv, uvAcross, uvDown ).r;
    for ( int i = 0; i < ${STEPS}; i ++ ) {
      if ( layer >= deep ) break;
      before = deep - layer;
      intoIt += way;
      layer += 1.0 / ${STEPS}.0;
      deep = 1.0 - textureGrad( bumpMap, vBumpMapUv + intoIt, uvAcross, uvDown ).r;
    }
    float beyond = layer - deep;
    intoIt -= way * ( beyond / max( beyond + before, 1e-5 ) ) * step( 1e-6, layer );
  }
  #endif
`

const expanded = (code: string): string =>
  code.replace(/^[ \t]*#include +<([\w.]+)>/gm, (_, name: string) =>
    expanded(ShaderChunk[name as keyof typeof ShaderChunk]),
  )

/** Let a material draw the height in its place for bumps, as deep as `depthOf` says, in widths of the picture. */
export function withDepth(material: MeshPhysicalMaterial): MeshPhysicalMaterial {
  const depth = { value: 0 }
  material.userData.depth = depth
  material.bumpScale = 0
  material.onBeforeCompile = (shader) => {
    const [head, body] = shader.fragmentShader.split(MAIN)
    if (body === undefined) throw new Error('The library’s shader has no beginning any more.')
    const moved = expanded(body)
      .replace(LOOKED_UP, '( $& + intoIt )')
      // Frames are those of the surface, not of what lies in it.
      .replaceAll(
        'getTangentFrame( - vViewPosition, normal, ( vNormalMapUv + intoIt )',
        'getTangentFrame( - vViewPosition, normal, vNormalMapUv',
      )
    shader.uniforms.heightDepth = depth
    shader.fragmentShader = `uniform float heightDepth;\n${head}${MAIN}${INTO}${moved}`
  }
  material.customProgramCacheKey = () => 'depth'
  return material
}

/** How deep a material draws its height, in widths of the picture. */
export function setDepth(material: MeshPhysicalMaterial, depth: number) {
  ;(material.userData.depth as { value: number }).value = depth
}
