// A three.js material from what the core resolved: quick small pictures first, then the full preview size.
import { useThree } from '@react-three/fiber'
import { useEffect, useMemo, useState } from 'react'
import {
  Color, DoubleSide, FrontSide, LinearFilter, LinearMipmapLinearFilter, MeshBasicMaterial, MeshPhysicalMaterial, NearestFilter,
  NoColorSpace, RepeatWrapping, SRGBColorSpace, Texture, TextureLoader,
} from 'three'

import type { StageLook } from '../api/types'
import { STAGE } from '../theme'

const QUICK = 256
const FULL = 1024
const KEPT = 160
const loader = new TextureLoader()
const loaded = new Map<string, Promise<Texture>>()

/** A stage picture by recipe and size; a recipe never changes its picture, so it is kept. */
function picture(key: string, size: number): Promise<Texture> {
  const url = `/api/stage-pictures/${key}/${size}.png`
  const known = loaded.get(url)
  if (known) {
    loaded.delete(url)
    loaded.set(url, known)
    return known
  }
  const coming = loader.loadAsync(url)
  loaded.set(url, coming)
  coming.catch(() => loaded.delete(url))
  while (loaded.size > KEPT) loaded.delete(loaded.keys().next().value!)
  return coming
}

const KINDS = ['base', 'orm', 'normal', 'emission', 'specular', 'coat', 'sheen', 'through'] as const
type Pictures = Partial<Record<(typeof KINDS)[number], Texture>>

/** The newest pictures of a look that have arrived: each changes as soon as it is there. */
function usePictures(look: StageLook | undefined): Pictures {
  const [shown, setShown] = useState<Pictures>({})
  const invalidate = useThree((state) => state.invalidate)
  const keys = KINDS.map((kind) => look?.pictures[kind] ?? '').join(' ')
  useEffect(() => {
    let wanted = true
    const wish = Object.fromEntries(keys.split(' ').map((key, index) => [KINDS[index]!, key]))
    const load = async (size: number) => {
      await Promise.allSettled(
        Object.entries(wish).map(async ([kind, key]) => {
          if (!key) {
            if (wanted) setShown((before) => (kind in before ? { ...before, [kind]: undefined } : before))
            return
          }
          const texture = await picture(key, size)
          if (wanted) setShown((before) => ({ ...before, [kind]: texture }))
        }),
      )
      invalidate()
    }
    void load(QUICK).then(() => (wanted ? load(FULL) : undefined))
    return () => {
      wanted = false
    }
  }, [keys, invalidate])
  return shown
}

/** One of a material's pictures laid as the material's UV transform says (KHR_texture_transform). */
function laid(source: Texture | undefined, look: StageLook, colour: boolean): Texture | null {
  if (!source) return null
  const texture = source.clone()
  texture.flipY = false
  texture.wrapS = texture.wrapT = RepeatWrapping
  texture.colorSpace = colour ? SRGBColorSpace : NoColorSpace
  texture.magFilter = look.filter === 'nearest' ? NearestFilter : LinearFilter
  texture.minFilter = look.filter === 'nearest' ? NearestFilter : LinearMipmapLinearFilter
  texture.anisotropy = 8
  const [scaleU, scaleV] = look.uv.tiling ?? [1, 1]
  const [offsetU, offsetV] = look.uv.offset ?? [0, 0]
  const [cos, sin] = [Math.cos(look.uv.rotation ?? 0), Math.sin(look.uv.rotation ?? 0)]
  // The library's own transform scales after it rotates; KHR_texture_transform is offset · rotation · scale.
  texture.matrixAutoUpdate = false
  texture.matrix.set(cos * scaleU, sin * scaleV, offsetU, -sin * scaleU, cos * scaleV, offsetV, 0, 0, 1)
  texture.needsUpdate = true
  return texture
}

/** The material that stands for a look; plain grey while nothing is known of it. */
export function useStageMaterial(look: StageLook | undefined): MeshPhysicalMaterial {
  const pictures = usePictures(look)
  const material = useMemo(() => {
    const made = new MeshPhysicalMaterial({ roughness: 0.6, metalness: 0, color: new Color(STAGE.ghost) })
    if (!look || !pictures.base) return made
    made.color.set(STAGE.white)
    made.map = laid(pictures.base, look, true)
    const orm = laid(pictures.orm, look, false)
    made.aoMap = made.roughnessMap = made.metalnessMap = orm
    made.roughness = orm ? 1 : 0.6
    made.metalness = orm ? 1 : 0
    made.normalMap = laid(pictures.normal, look, false)
    made.emissiveMap = laid(pictures.emission, look, true)
    made.emissive.set(pictures.emission ? STAGE.white : STAGE.black)
    made.emissiveIntensity = look.emission_factor
    wear(made, look, pictures)
    made.side = look.double_sided ? DoubleSide : FrontSide
    made.alphaTest = look.alpha_mode === 'mask' ? Math.max(look.alpha_cutoff, 1e-4) : 0
    made.transparent = look.alpha_mode === 'blend'
    made.depthWrite = look.alpha_mode !== 'blend'
    return made
  }, [look, pictures])
  useEffect(() => () => disposeAll(material), [material])
  return material
}

/** Inputs beyond the seven: numbers, and pictures laid out as glTF's extensions want them. */
function wear(made: MeshPhysicalMaterial, look: StageLook, pictures: Pictures) {
  const { extras } = look
  const number = (name: string, otherwise: number) => (typeof extras[name] === 'number' ? (extras[name] as number) : otherwise)
  made.ior = number('ior', 1.5)
  made.specularIntensity = number('specular', 1)
  made.clearcoat = number('clearcoat', 0)
  made.clearcoatRoughness = number('clearcoat_roughness', 0)
  if (Array.isArray(extras.sheen)) {
    made.sheen = 1
    made.sheenColor.fromArray(extras.sheen)
    made.sheenRoughness = number('sheen_roughness', 0)
  }
  made.transmission = number('transmission', 0)
  made.thickness = number('thickness', 0)
  if (Array.isArray(extras.attenuation)) made.attenuationColor.fromArray(extras.attenuation)
  made.attenuationDistance = number('attenuation_distance', Infinity)
  if (pictures.specular) {
    made.specularIntensity = 1
    made.specularIntensityMap = laid(pictures.specular, look, false)
  }
  if (pictures.coat) {
    made.clearcoat = made.clearcoatRoughness = 1
    made.clearcoatMap = made.clearcoatRoughnessMap = laid(pictures.coat, look, false)
  }
  if (pictures.sheen) {
    made.sheen = made.sheenRoughness = 1
    made.sheenColor.set(STAGE.white)
    made.sheenColorMap = made.sheenRoughnessMap = laid(pictures.sheen, look, true)
  }
  if (pictures.through) {
    made.transmission = made.thickness = 1
    made.transmissionMap = made.thicknessMap = laid(pictures.through, look, false)
  }
}

function disposeAll(material: MeshPhysicalMaterial) {
  for (const value of Object.values(material)) if (value instanceof Texture) value.dispose()
  material.dispose()
}

/** One input alone, seen flat: no light, no shading. */
export function useSoloMaterial(key: string | null, look: StageLook | undefined): MeshBasicMaterial | null {
  const [source, setSource] = useState<{ key: string; texture: Texture } | null>(null)
  const invalidate = useThree((state) => state.invalidate)
  useEffect(() => {
    let wanted = true
    if (key) {
      picture(key, FULL).then((texture) => {
        if (wanted) setSource({ key, texture })
        invalidate()
      }, () => undefined)
    }
    return () => {
      wanted = false
    }
  }, [key, invalidate])
  const material = useMemo(() => {
    if (!key || !look || source?.key !== key) return null
    return new MeshBasicMaterial({ map: laid(source.texture, look, true), toneMapped: false, side: look.double_sided ? DoubleSide : FrontSide })
  }, [key, look, source])
  useEffect(() => () => {
    material?.map?.dispose()
    material?.dispose()
  }, [material])
  return material
}
