// What the library's material does not draw: height, and light inside a surface.
// Height is drawn as depth: what is looked up is moved along the ray into the surface until that meets the
// height field. Source of the way: parallax mapping by steps (Tatarchuk 2006), as graphics books tell it.
// Light inside is an approximation for a stage: its colour instead of the base's, and light that wraps
// round the surface as far as its curvature and the radius say, with no more energy than it had. Source:
// wrapped diffuse light, normalised, as graphics books tell it (from memory).
import { Color, ShaderChunk } from 'three'
import type { MeshPhysicalMaterial, Texture } from 'three'

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

const UNIFORMS = `
  uniform float heightDepth;
  uniform float insideShare;
  uniform vec3 insideColour;
  uniform float insideRadius;
  uniform float insideMapped;
  uniform sampler2D insideMap;
  float insideWeight = 0.0;
  float insideWrap = 0.0;
`
const INSIDE = `
  insideWeight = insideShare;
  vec3 inside = insideColour;
  #ifdef USE_MAP
  if ( insideMapped > 0.5 ) {
    vec4 mapped = texture2D( insideMap, ( vMapUv + intoIt ) );
    inside = mapped.rgb;
    insideWeight = mapped.a;
  }
  #endif
  if ( insideWeight > 0.0 ) {
    float curved = length( fwidth( normal ) ) / max( length( fwidth( vViewPosition ) ), 1e-6 );
    insideWrap = clamp( curved * insideRadius, 0.0, 1.0 );
    material.diffuseColor = mix( material.diffuseColor, inside * ( 1.0 - metalnessFactor ), insideWeight );
  }
`
const LIT = 'vec3 irradiance = dotNL * directLight.color;'
const WRAPPED = `
  float insideDot = dot( geometryNormal, directLight.direction );
  float insideMore = max( insideDot + insideWrap, 0.0 ) / pow( 1.0 + insideWrap, 2.0 ) - max( insideDot, 0.0 );
  reflectedLight.directDiffuse += insideWeight * insideMore * directLight.color * BRDF_Lambert( material.diffuseColor );
`
const PARS = '#include <lights_physical_pars_fragment>'
const SHADED = '#include <lights_physical_fragment>'

const expanded = (code: string): string =>
  code.replace(/^[ \t]*#include +<([\w.]+)>/gm, (_, name: string) =>
    expanded(ShaderChunk[name as keyof typeof ShaderChunk]),
  )

interface Held {
  heightDepth: { value: number }
  insideShare: { value: number }
  insideColour: { value: Color }
  insideRadius: { value: number }
  insideMapped: { value: number }
  insideMap: { value: Texture | null }
}

/** Let a material draw the height that lies in its place for bumps, and light inside it. */
export function withSurface(material: MeshPhysicalMaterial): MeshPhysicalMaterial {
  const held: Held = {
    heightDepth: { value: 0 },
    insideShare: { value: 0 },
    insideColour: { value: new Color() },
    insideRadius: { value: 0 },
    insideMapped: { value: 0 },
    insideMap: { value: null },
  }
  material.userData.held = held
  material.bumpScale = 0
  material.onBeforeCompile = (shader) => {
    const [head, body] = shader.fragmentShader.split(MAIN)
    const lit = ShaderChunk.lights_physical_pars_fragment.replace(LIT, `$&${WRAPPED}`)
    if (
      head === undefined ||
      body === undefined ||
      !lit.includes(WRAPPED) ||
      !body.includes(SHADED)
    )
      throw new Error('The library’s shader is another than it was.')
    const moved = expanded(body.replace(SHADED, `$&${INSIDE}`))
      .replace(LOOKED_UP, '( $& + intoIt )')
      // Frames are those of the surface, not of what lies in it.
      .replaceAll(
        'getTangentFrame( - vViewPosition, normal, ( vNormalMapUv + intoIt )',
        'getTangentFrame( - vViewPosition, normal, vNormalMapUv',
      )
    Object.assign(shader.uniforms, held)
    shader.fragmentShader = `${UNIFORMS}${head.replace(PARS, lit)}${MAIN}${INTO}${moved}`
  }
  material.customProgramCacheKey = () => 'surface'
  return material
}

/** How deep a material draws its height, in widths of the picture. */
export function setDepth(material: MeshPhysicalMaterial, depth: number) {
  ;(material.userData.held as Held).heightDepth.value = depth
}

/** How much light goes into a material, what colour it comes out in, and how far it wanders, in metres; by a picture of colour and share, where there is one. */
export function setInside(
  material: MeshPhysicalMaterial,
  share: number,
  colour: readonly number[],
  radius: number,
  map: Texture | null,
) {
  const held = material.userData.held as Held
  held.insideShare.value = share
  held.insideColour.value.setRGB(colour[0] ?? 1, colour[1] ?? 1, colour[2] ?? 1)
  held.insideRadius.value = radius
  held.insideMapped.value = map ? 1 : 0
  held.insideMap.value = map
}
