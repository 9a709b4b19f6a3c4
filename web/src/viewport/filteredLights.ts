// The light set-ups as the server filtered them: without a graphics card that takes a page seconds for each.
import {
  CubeTexture,
  DataTexture,
  HalfFloatType,
  LinearMipmapLinearFilter,
  LinearSRGBColorSpace,
  RGBAFormat,
} from 'three'

import { FILTERED_LIGHTS, LIGHT_TABLE } from '../api/tables'
import { drawing } from './software'
import type { LightName } from './view'

const { key, size, levels } = FILTERED_LIGHTS
const known = new Map<LightName, CubeTexture>()

/** A set-up that was fetched, if it was. */
export const fetchedLight = (name: LightName): CubeTexture | undefined => known.get(name)

/** Fetches them where they are of use. One that does not come is filtered on the page. */
export async function fetchLights(): Promise<void> {
  if (drawing() !== 'software' || known.size > 0) return
  const answer = await fetch(`/api/lights/${key}.bin`).catch(() => null)
  const bytes = answer?.ok ? await answer.arrayBuffer().catch(() => null) : null
  if (!bytes) return
  const halves = new Uint16Array(bytes)
  let start = 0
  const next = (side: number) => halves.subarray(start, (start += 4 * side * side))
  for (const name of Object.keys(LIGHT_TABLE) as LightName[]) {
    const cubes = Array.from({ length: levels }, (_, level) => cube(size >> level, next))
    known.set(name, reflected(cubes))
  }
}

const cube = (side: number, texels: (side: number) => Uint16Array) =>
  Array.from(
    { length: 6 },
    () => new DataTexture(texels(side), side, side, RGBAFormat, HalfFloatType),
  )

function reflected(cubes: DataTexture[][]): CubeTexture {
  const [mirror, ...rougher] = cubes
  const texture = new CubeTexture(mirror)
  texture.format = RGBAFormat
  texture.type = HalfFloatType
  texture.colorSpace = LinearSRGBColorSpace
  texture.minFilter = LinearMipmapLinearFilter
  texture.generateMipmaps = false
  // Of what it has filtered itself the library counts the levels with the first, of what it is given without: one more than is
  // ever looked at makes both the same.
  const last = cube(size >> levels, (side) => new Uint16Array(4 * side * side))
  // Its width is that of the whole, as where a panorama was filtered: with another one shaders would be built again.
  const mipmaps = [...rougher, last].map((image) => ({ image, width: size }))
  texture.mipmaps = mipmaps as unknown as CubeTexture[]
  texture.isPMREMTexture = true
  texture.needsUpdate = true
  return texture
}
