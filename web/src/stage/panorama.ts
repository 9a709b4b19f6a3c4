// A panorama of one's own as the light of the stage: read in this browser, and gone with the page.
import {
  DataTexture,
  DataUtils,
  EquirectangularReflectionMapping,
  FloatType,
  LinearFilter,
  LinearSRGBColorSpace,
  RGBAFormat,
} from 'three'
import type { TextureDataType } from 'three'
import { create } from 'zustand'

interface Panorama {
  name: string | null
  texture: DataTexture | null
  /** Reads a Radiance HDR or an EXR. Throws with a sentence what it cannot read. */
  take: (file: File) => Promise<void>
  drop: () => void
}

export const usePanorama = create<Panorama>((set, get) => ({
  name: null,
  texture: null,
  take: async (file) => {
    const texture = await read(file)
    get().texture?.dispose()
    set({ name: file.name, texture })
  },
  drop: () => {
    get().texture?.dispose()
    set({ name: null, texture: null })
  },
}))

async function read(file: File): Promise<DataTexture> {
  const kind = file.name.toLowerCase().split('.').at(-1)
  if (kind !== 'hdr' && kind !== 'exr')
    throw new Error(`${file.name}: a panorama is a Radiance HDR or an EXR. Save it as one.`)
  // Loaded when somebody has a panorama: most never do.
  const Loader =
    kind === 'hdr'
      ? (await import('three/addons/loaders/HDRLoader.js')).HDRLoader
      : (await import('three/addons/loaders/EXRLoader.js')).EXRLoader
  const told = await file
    .arrayBuffer()
    .then((bytes) => new Loader().parse(bytes) as Told)
    .catch(() => null)
  if (!told?.data) throw new Error(`${file.name}: it cannot be read as a panorama. Save it again.`)
  const { width, height, data, type } = told
  if (Math.abs(width / height - 2) > 0.02)
    throw new Error(
      `${file.name}: it is ${width} × ${height}; a panorama all round is twice as wide as high.`,
    )
  tame(data, type === FloatType)
  const texture = new DataTexture(data, width, height, RGBAFormat, type)
  texture.mapping = EquirectangularReflectionMapping
  texture.colorSpace = LinearSRGBColorSpace
  texture.minFilter = texture.magFilter = LinearFilter
  texture.flipY = true
  texture.needsUpdate = true
  return texture
}

interface Told {
  width: number
  height: number
  data: Uint16Array | Float32Array
  type: TextureDataType
}

/** What is no number, or endless, would spoil all that is filtered from it. */
function tame(data: Uint16Array | Float32Array, isFloat: boolean) {
  for (let i = 0; i < data.length; i += 1) {
    const value = isFloat ? data[i]! : DataUtils.fromHalfFloat(data[i]!)
    if (!Number.isFinite(value)) data[i] = 0
  }
}
