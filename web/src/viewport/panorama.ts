// A panorama as the light of the stage: a file of one's own, read in this browser, or a map of the project.
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

import type { BoardMap } from '../api/types'
import { labels } from '../words/viewport'

interface Lit {
  name: string
  texture: DataTexture
}

interface Panorama {
  /** What a person has chosen for the stage. */
  own: Lit | null
  /** What the screen that is open lights its stage by. */
  lent: Lit | null
  /** Reads a Radiance HDR or an EXR. Throws with a sentence what it cannot read. */
  take: (file: File) => Promise<void>
  lend: (file: File | null) => Promise<void>
  drop: () => void
}

/** Counts what was asked for: an answer that comes after the next question is thrown away. */
const asked = { own: 0, lent: 0 }

export const usePanorama = create<Panorama>((set, get) => {
  const change = async (which: 'own' | 'lent', file: File | null) => {
    const question = (asked[which] += 1)
    const made = file && { name: file.name, texture: await read(file) }
    if (question !== asked[which]) return made?.texture.dispose()
    get()[which]?.texture.dispose()
    set({ [which]: made })
  }
  return {
    own: null,
    lent: null,
    take: (file) => change('own', file),
    lend: (file) => change('lent', file),
    drop: () => {
      void change('own', null)
      void change('lent', null)
    },
  }
})

/** What lights the stage instead of the set-up. */
export const shownPanorama = ({ own, lent }: Panorama) => lent ?? own

export const mayBePanorama = (file: string) => /\.(hdr|exr)$/i.test(file)

/** The maps of a project that are panoramas: floats, twice as wide as high, as the core's `is_panorama` has them. */
export const panoramasOf = (maps: readonly BoardMap[] | undefined) =>
  (maps ?? []).filter(
    (map) =>
      map.is_float && map.channels >= 3 && map.width === 2 * map.height && mayBePanorama(map.file),
  )

/** A map of the project as the file that it is. Throws with a sentence where it does not come. */
export async function panoramaFile(map: BoardMap): Promise<File> {
  const name = map.file.split('/').at(-1)!
  const answer = await fetch(
    `/api/map-files/${map.sha256}.${name.split('.').at(-1)!.toLowerCase()}`,
  ).catch(() => null)
  if (!answer?.ok) throw new Error(labels.itCannotBeFetchedBring(name))
  return new File([await answer.blob()], name)
}

async function read(file: File): Promise<DataTexture> {
  const kind = file.name.toLowerCase().split('.').at(-1)
  if (kind !== 'hdr' && kind !== 'exr') throw new Error(labels.aPanoramaIsARadiance(file.name))
  // Loaded when somebody has a panorama: most never do.
  const Loader =
    kind === 'hdr'
      ? (await import('three/addons/loaders/HDRLoader.js')).HDRLoader
      : (await import('three/addons/loaders/EXRLoader.js')).EXRLoader
  const told = await file
    .arrayBuffer()
    .then((bytes) => new Loader().parse(bytes) as Told)
    .catch(() => null)
  if (!told?.data) throw new Error(labels.itCannotBeReadAs(file.name))
  const { width, height, data, type } = told
  if (Math.abs(width / height - 2) > 0.02)
    throw new Error(labels.itIsAPanoramaAll(file.name, width, height))
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
