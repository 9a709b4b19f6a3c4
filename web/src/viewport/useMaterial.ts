// A three.js material from what the core resolved: quick small pictures first, then the full preview size.
import { useThree } from '@react-three/fiber'
import { useEffect, useLayoutEffect, useMemo, useState } from 'react'
import {
  ClampToEdgeWrapping,
  Color,
  DoubleSide,
  FrontSide,
  LinearFilter,
  LinearMipmapLinearFilter,
  type Material,
  MeshBasicMaterial,
  MeshPhysicalMaterial,
  MeshStandardMaterial,
  MirroredRepeatWrapping,
  NearestFilter,
  NoColorSpace,
  RepeatWrapping,
  SRGBColorSpace,
  Texture,
  TextureLoader,
} from 'three'

import type { StageLook } from '../api/types'
import { STAGE } from '../theme'
import { STAGE_SIZES } from '../api/tables'
import { setDepth, setInside, withSurface } from './surface'
import { useSharedCanvas } from './sharedCanvas'
import { frameTogether } from './frameTogether'
import { useView } from './view'
import { labels } from '../words/viewport'

const { quick: QUICK, full: FULL } = STAGE_SIZES
const KEPT = 160
/** Milliseconds after which pictures that are still on their way are spoken of. */
const LONG = 600
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

const KINDS = [
  'base',
  'orm',
  'occlusion',
  'normal',
  'emission',
  'specular',
  'coat',
  'sheen',
  'through',
  'height',
  'inside',
] as const
type Pictures = Partial<Record<(typeof KINDS)[number], Texture>>

/** Looks whose pictures of a size are coming. */
const groups = { [QUICK]: frameTogether(), [FULL]: frameTogether() }

/** The newest pictures of a look, once all of a size are there: a material that fills bit by bit is built again for each. */
function usePictures(look: StageLook | undefined): Pictures {
  const [shown, setShown] = useState<Pictures>({})
  const keys = KINDS.map((kind) => look?.pictures[kind] ?? '').join(' ')
  useEffect(() => {
    let wanted = true
    const { fail, wait } = useSharedCanvas.getState()
    const long = setTimeout(() => wait(keys, true), LONG)
    const come = () => {
      clearTimeout(long)
      wait(keys, false)
    }
    const wish = keys.split(' ').map((key, index) => [KINDS[index]!, key] as const)
    const load = async (size: typeof QUICK | typeof FULL) => {
      if (!wanted) return
      groups[size].begin(wish)
      const found = await Promise.all(
        wish.map(
          async ([kind, key]) =>
            [kind, key ? await picture(key, size).catch(() => null) : undefined] as const,
        ),
      )
      // One that cannot be had leaves the one before it, and is told of.
      if (!wanted) return
      const missing = found.filter(([, texture]) => texture === null).map(([kind]) => kind)
      fail(keys, missing.length ? labels.thePictureCouldNotBe(missing.join(', ')) : null)
      await groups[size].end(wish)
      if (!wanted) return
      setShown((before) =>
        Object.fromEntries(
          found.map(([kind, texture]) => [kind, texture === null ? before[kind] : texture]),
        ),
      )
    }
    void load(QUICK)
      .then(() => load(FULL))
      .finally(() => wanted && come())
    return () => {
      wanted = false
      come()
      groups[QUICK].off(wish)
      groups[FULL].off(wish)
      fail(keys, null)
    }
  }, [keys])
  return shown
}

type Place = StageLook['places'][string]
type Lay = (source: Texture | undefined, kind: (typeof KINDS)[number]) => Texture | null

const COLOURED: readonly string[] = ['base', 'emission', 'sheen', 'inside']
const WRAPS = {
  repeat: RepeatWrapping,
  clamp: ClampToEdgeWrapping,
  mirror: MirroredRepeatWrapping,
}

/** Lays pictures where their inputs lie (KHR_texture_transform); one of `before` that lies so already stays on the graphics card. */
const layer =
  (look: StageLook, before: Texture[] = []): Lay =>
  (source, kind) => {
    if (!source) return null
    const place = look.places[kind] ?? { uv: look.uv, wrap: look.wrap }
    const lies = JSON.stringify([place, look.filter, COLOURED.includes(kind)])
    return (
      before.find((known) => known.source === source.source && known.userData.lies === lies) ??
      laid(source, place, look.filter, COLOURED.includes(kind), lies)
    )
  }

function laid(
  source: Texture,
  place: Place,
  filter: StageLook['filter'],
  colour: boolean,
  lies: string,
): Texture {
  const texture = source.clone()
  texture.userData = { lies }
  texture.flipY = false
  texture.wrapS = WRAPS[place.wrap[0]]
  texture.wrapT = WRAPS[place.wrap[1]]
  texture.channel = place.uv.set ?? 0
  texture.colorSpace = colour ? SRGBColorSpace : NoColorSpace
  texture.magFilter = filter === 'nearest' ? NearestFilter : LinearFilter
  texture.minFilter = filter === 'nearest' ? NearestFilter : LinearMipmapLinearFilter
  texture.anisotropy = 8
  placeTexture(texture, place.uv)
  texture.needsUpdate = true
  return texture
}

/** Lay a texture as a transform says, so that it holds `copies` pictures a side. */
export function placeTexture(texture: Texture, uv: Place['uv'], copies = 1) {
  const [scaleU, scaleV] = (uv.tiling ?? [1, 1]).map((scale) => scale / copies) as [number, number]
  const [offsetU, offsetV] = (uv.offset ?? [0, 0]).map((by) => by / copies) as [number, number]
  const [cos, sin] = [Math.cos(uv.rotation ?? 0), Math.sin(uv.rotation ?? 0)]
  // The library's own transform scales after it rotates; KHR_texture_transform is offset · rotation · scale.
  texture.matrixAutoUpdate = false
  texture.matrix.set(
    cos * scaleU,
    sin * scaleV,
    offsetU,
    -sin * scaleU,
    cos * scaleV,
    offsetV,
    0,
    0,
    1,
  )
}

/** What stands for no material, and for one whose pictures have not come. */
const GREY = new MeshStandardMaterial({ roughness: 0.6, color: new Color(STAGE.ghost) })
const COMING = new MeshBasicMaterial({ color: new Color(STAGE.ghost) })

/** Materials that nothing wears now. They keep the shaders that were built for them, so that the next to be shown need not. */
const spare: MeshPhysicalMaterial[] = []

/** A material for as long as a component lives, from those that are spare. */
function useSpare(): MeshPhysicalMaterial {
  const [lit] = useState(() => spare.pop() ?? withSurface(new MeshPhysicalMaterial()))
  useEffect(() => {
    const at = spare.indexOf(lit)
    if (at >= 0) spare.splice(at, 1)
    return () => {
      texturesOf(lit).forEach((held) => held.dispose())
      spare.push(lit)
    }
  }, [lit])
  return lit
}

/** The material that stands for a look: grey where there is none, flat until its pictures have come. It is one object for good,
 * so that a change of pictures does not build its shader again; an unlit look has another, which no light reaches. */
export function useStageMaterial(look: StageLook | undefined): Material {
  const pictures = usePictures(look)
  const lit = useSpare()
  const [unlit] = useState(() => new MeshBasicMaterial({ toneMapped: false }))
  const invalidate = useThree((state) => state.invalidate)
  const depth = useView((state) => state.depth)
  useEffect(() => () => unlit.dispose(), [unlit])
  useLayoutEffect(() => {
    setDepth(lit, depth)
    invalidate()
  }, [depth, invalidate, lit])
  useLayoutEffect(() => {
    if (look && pictures.base) {
      const before = texturesOf(lit)
      if (look.shading === 'unlit') {
        dressFlat(unlit, look, layer(look, texturesOf(unlit))(pictures.base, 'base'))
      } else {
        dress(lit, look, pictures, layer(look, before))
        const now = new Set(texturesOf(lit))
        before.filter((texture) => !now.has(texture)).forEach((texture) => texture.dispose())
      }
    }
    invalidate()
  }, [lit, unlit, look, pictures, invalidate])
  if (!look) return GREY
  if (!pictures.base) return COMING
  return look.shading === 'unlit' ? unlit : lit
}

/** An unlit look: its base colour as it is. */
function dressFlat(made: MeshBasicMaterial, look: StageLook, map: Texture | null) {
  if (made.map !== map) made.map?.dispose()
  made.map = map
  settle(made, look)
}

/** Sides and alpha of a look. */
function settle(made: Material, look: StageLook) {
  made.side = look.double_sided ? DoubleSide : FrontSide
  made.alphaTest = look.alpha_mode === 'mask' ? Math.max(look.alpha_cutoff, 1e-4) : 0
  made.transparent = look.alpha_mode === 'blend'
  made.depthWrite = look.alpha_mode !== 'blend'
  made.needsUpdate = true
}

function dress(made: MeshPhysicalMaterial, look: StageLook, pictures: Pictures, lay: Lay) {
  made.map = lay(pictures.base, 'base')
  const orm = lay(pictures.orm, 'orm')
  made.roughnessMap = made.metalnessMap = orm
  // Occlusion has a picture of its own where it lies elsewhere.
  made.aoMap = pictures.occlusion ? lay(pictures.occlusion, 'occlusion') : orm
  made.roughness = orm ? 1 : 0.6
  made.metalness = orm ? 1 : 0
  made.normalMap = lay(pictures.normal, 'normal')
  made.emissiveMap = lay(pictures.emission, 'emission')
  made.emissive.set(pictures.emission ? STAGE.white : STAGE.black)
  made.emissiveIntensity = look.emission_factor
  // What lies elsewhere than the colours would be drawn at their wrong places.
  made.bumpMap = liesAsBase(look, 'height') ? lay(pictures.height, 'height') : null
  wear(made, look, pictures, lay)
  settle(made, look)
}

const liesAsBase = ({ places }: StageLook, kind: 'height' | 'inside') =>
  JSON.stringify(places[kind]) === JSON.stringify(places.base ?? places[kind])

/** Inputs beyond the seven: numbers, and pictures laid out as glTF's extensions want them. A picture takes the place of its number. */
function wear(made: MeshPhysicalMaterial, look: StageLook, pictures: Pictures, lay: Lay) {
  const { extras } = look
  const number = (name: string, otherwise: number, picture: unknown = null) =>
    picture ? 1 : typeof extras[name] === 'number' ? extras[name] : otherwise
  const colour = (name: string) => (Array.isArray(extras[name]) ? extras[name] : null)
  const { coat, sheen, through, specular } = pictures
  made.ior = number('ior', 1.5)
  made.specularIntensity = number('specular', 1, specular)
  made.specularIntensityMap = lay(specular, 'specular')
  made.clearcoat = number('clearcoat', 0, coat)
  made.clearcoatRoughness = number('clearcoat_roughness', 0, coat)
  made.clearcoatMap = made.clearcoatRoughnessMap = lay(coat, 'coat')
  made.sheen = sheen || colour('sheen') ? 1 : 0
  made.sheenColor.fromArray((sheen ? null : colour('sheen')) ?? WHITE)
  made.sheenRoughness = number('sheen_roughness', 0, sheen)
  made.sheenColorMap = made.sheenRoughnessMap = lay(sheen, 'sheen')
  made.transmission = number('transmission', 0, through)
  made.thickness = number('thickness', 0, through)
  made.transmissionMap = made.thicknessMap = lay(through, 'through')
  made.attenuationColor.fromArray(colour('attenuation') ?? WHITE)
  made.attenuationDistance = number('attenuation_distance', Infinity)
  setInside(
    made,
    number('subsurface', 0),
    colour('subsurface_color') ?? WHITE,
    number('subsurface_radius', 0.01),
    liesAsBase(look, 'inside') ? lay(pictures.inside, 'inside') : null,
  )
}

const WHITE = [1, 1, 1]

const texturesOf = (material: Material): Texture[] => [
  ...new Set(Object.values(material).filter((value) => value instanceof Texture)),
]

/** One input alone: its picture, and where it lies. */
export interface Solo {
  key: string
  place: Place
}

/** One input alone, seen flat: no light, no shading. */
export function useSoloMaterial(
  solo: Solo | null,
  look: StageLook | undefined,
): MeshBasicMaterial | null {
  const [source, setSource] = useState<{ key: string; texture: Texture } | null>(null)
  const invalidate = useThree((state) => state.invalidate)
  const key = solo?.key
  useEffect(() => {
    let wanted = true
    const { fail } = useSharedCanvas.getState()
    if (key) {
      picture(key, FULL).then(
        (texture) => {
          if (wanted) setSource({ key, texture })
          invalidate()
        },
        () => wanted && fail(key, labels.thePictureOfThisInput),
      )
    }
    return () => {
      wanted = false
      if (key) fail(key, null)
    }
  }, [key, invalidate])
  const lies = JSON.stringify(solo?.place)
  const material = useMemo(() => {
    if (!key || !look || source?.key !== key) return null
    const place = JSON.parse(lies) as Place
    return new MeshBasicMaterial({
      map: laid(source.texture, place, look.filter, true, lies),
      toneMapped: false,
      side: look.double_sided ? DoubleSide : FrontSide,
    })
  }, [key, lies, look, source])
  useEffect(
    () => () => {
      material?.map?.dispose()
      material?.dispose()
    },
    [material],
  )
  return material
}
