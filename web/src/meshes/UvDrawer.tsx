import { styled } from '@mui/material/styles'
import { UvDrawerBox } from './styles'
import { Box, MenuItem, Select } from '@mui/material'
import { useLoader } from '@react-three/fiber'
import { useEffect, useMemo, useRef, useState } from 'react'
import type { PointerEvent, WheelEvent } from 'react'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'

import { OVERLAP } from '../api/tables'
import { useBoard, usePadding, useProject } from '../api/queries'
import type { Material, MeshFacts, Padding as PaddingOfMap, SlotFacts } from '../api/types'
import { piecesOf } from '../viewport/Subjects'
import type { MeshView } from './measures'
import { useDensities } from './density'
import { flatShare } from './flat'
import { cornersOf } from './movedUvs'
import type { Place } from './uvDrawing'
import { draw, fit, useImage } from './uvDrawing'
import { labels } from '../words/meshes'

const UvNumbersBox = styled('div')({
  display: 'grid',
  gap: 2,
})

const UvFacts = styled('div')({
  flex: 1,
  minWidth: 0,
  overflow: 'auto',
  padding: 14,
  borderLeft: '1px solid var(--line)',
  background: 'var(--surface)',
  display: 'grid',
  gap: 8,
  alignContent: 'start',
})

const UvPictureBox = styled('canvas')({
  width: 268,
  height: 268,
  margin: 14,
  border: '1px solid var(--strong)',
  touchAction: 'none',
  cursor: 'move',
})

const SIDE = 268

interface DrawerProps {
  mesh: MeshFacts
  slot: SlotFacts
  view: MeshView
  /** A measure for each of the mesh's triangles, where the view shows one. */
  values: Float32Array | null
}

/** The UV layout of a slot over any map, and what is to be said of it. */
export function UvDrawer({ mesh, slot, view, values }: DrawerProps) {
  const { feeds, map, shown, pick } = useUnder(mesh, slot)
  const padding = usePadding(mesh.name, slot.name, shown ? map : null).data
  return (
    <UvDrawerBox className="uv-drawer" aria-label={labels.uvsOf(slot.name)}>
      <UvPicture
        mesh={mesh}
        slot={slot}
        picture={shown ? `/api/map-pictures/${shown.sha256}/rgb/512.png` : null}
        view={view}
        values={values}
      />
      <UvFacts>
        <h2>{labels.uvsOf(slot.name)}</h2>
        <Under feeds={feeds} map={map} pick={pick} />
        <UvNumbers mesh={mesh} slot={slot} padding={padding} size={sideOf(padding ?? shown)} />
      </UvFacts>
    </UvDrawerBox>
  )
}

/** The map under the layout: the one that was picked while it is there, else what the slot wears. */
function useUnder(mesh: MeshFacts, slot: SlotFacts) {
  const materials = useProject().data?.document.materials ?? {}
  const board = useBoard().data ?? []
  const feeds = feedsOf(materials, mesh.assigned[slot.name] ?? null)
  const [picked, pick] = useState<string | null>(null)
  const isThere = picked === '' || board.some((entry) => entry.name === picked)
  const map = picked !== null && isThere ? picked : (feeds[0] ?? '')
  return { feeds, map, shown: board.find((entry) => entry.name === map), pick }
}

/** The longer side of a map; a usual one without a map. */
const sideOf = (map: { width: number; height: number } | undefined) =>
  map ? Math.max(map.width, map.height) : 1024

interface UnderProps {
  feeds: string[]
  map: string
  pick: (map: string) => void
}

/** The map under the layout: those that the material is fed from come first. */
function Under({ feeds, map, pick }: UnderProps) {
  const board = useBoard().data ?? []
  return (
    <Box className="small row" sx={{ gap: 0.5 }}>
      {labels.over}
      <Select
        variant="standard"
        disableUnderline
        displayEmpty
        value={map}
        onChange={(event) => pick(event.target.value)}
        SelectDisplayProps={{ 'aria-label': labels.mapUnderTheUvs }}
        sx={{ fontSize: 11.5, color: 'var(--accent)', maxWidth: 170 }}
      >
        <MenuItem value="">{labels.noMap}</MenuItem>
        {[
          ...feeds,
          ...board.map((entry) => entry.name).filter((name) => !feeds.includes(name)),
        ].map((name) => (
          <MenuItem key={name} value={name}>
            {name}
          </MenuItem>
        ))}
      </Select>
    </Box>
  )
}

interface NumbersProps {
  mesh: MeshFacts
  slot: SlotFacts
  padding: PaddingOfMap | undefined
  /** Longer side of the map that texels are counted of. */
  size: number
}

const percent = (share: number | undefined) =>
  `${((share ?? 0) * 100).toFixed(share && share < 0.01 ? 1 : 0)} %`

function UvNumbers({ mesh, slot, padding, size }: NumbersProps) {
  const { uv } = slot
  if (uv.min == null) return <p className="small">{labels.itHasNoUvsUnwrapIt}</p>
  const gap = uv.gap == null ? null : uv.gap * size
  return (
    <>
      <UvNumbersBox className="mono">
        <Coverage slot={slot} size={size} />
        {gap !== null && <span>{labels.gapTexelsAt(gap.toFixed(gap < 10 ? 1 : 0), size)}</span>}
        <Shading mesh={mesh} slot={slot.name} />
        {padding && <span>{paddingWords(padding.padding)}</span>}
      </UvNumbersBox>
      <Tight gap={gap} padding={padding?.padding} />
    </>
  )
}

const paddingWords = (texels: number | null | undefined) =>
  texels == null ? labels.paintedOnEverywhere : labels.paddingInTheMapTexels(texels)

interface TightProps {
  gap: number | null
  padding: number | null | undefined
}

/** Says that islands are too near for the padding of the map: each would bleed into the other. */
function Tight({ gap, padding }: TightProps) {
  if (gap === null || padding == null || gap <= 0 || gap >= 2 * padding) return null
  return (
    <p className="small">
      <span className="chip amber">△</span> {labels.islandsAreNearerThanTwiceThe}
    </p>
  )
}

/** Coverage, overlap, stretch and density, a line each. */
function Coverage({ slot, size }: Pick<NumbersProps, 'slot' | 'size'>) {
  const { uv, density, spread } = slot
  const twins = (uv.stacked ?? 0) + (uv.mirrored ?? 0)
  return (
    <>
      <span>
        {labels.coversIsland(percent(uv.coverage), uv.islands, uv.islands === 1 ? '' : 's')}
      </span>
      <span>
        {labels.overlapWord} {percent(uv.overlap)}
        {twins > OVERLAP && labels.twins(percent(twins))} {labels.flipped} {percent(uv.flipped)}
      </span>
      <span>
        {uv.l2 == null || uv.linf == null
          ? labels.stretchWithoutArea
          : labels.stretchL2L(uv.l2.toFixed(2), uv.linf.toFixed(2))}
      </span>
      <span>
        {density == null
          ? labels.noDensity
          : labels.texelsAMetreAt(Math.round(density * size), size)}
      </span>
      {spread && density && (
        <span>{labels.fromTo(Math.round(spread[0] * size), Math.round(spread[1] * size))}</span>
      )}
    </>
  )
}

/** How much of a slot is shaded flat. */
function Shading({ mesh, slot }: { mesh: MeshFacts; slot: string }) {
  const gltf = useLoader(GLTFLoader, `/api/mesh-geometry/${mesh.key}.glb`)
  const flat = useMemo(() => {
    const geometry = piecesOf(gltf.scene, mesh.renamed).pieces.find(
      (piece) => piece.slot === slot,
    )?.geometry
    return geometry ? flatShare(geometry) : null
  }, [gltf, mesh.renamed, slot])
  if (flat === null) return null
  const words =
    flat > 0.995
      ? labels.shadedFlat
      : flat < 0.005
        ? labels.shadedSmooth
        : labels.ofItsFacesFlat(Math.round(100 * flat))
  return <span>{words}</span>
}

/** The maps that feed a material and its bases, base colour first. */
export function feedsOf(materials: Record<string, Material>, name: string | null): string[] {
  const maps: string[] = []
  const seen = new Set<string>()
  let at = name
  while (at !== null && !seen.has(at)) {
    seen.add(at)
    const entry: Material | undefined = materials[at]
    for (const feed of Object.values(entry?.inputs ?? {}))
      if (feed.map && !maps.includes(feed.map)) maps.push(feed.map)
    at = entry?.from ?? null
  }
  return maps
}

type PictureProps = DrawerProps & { picture: string | null }

function UvPicture({ mesh, slot, picture, view, values }: PictureProps) {
  const densities = useDensities(mesh)
  const canvas = useRef<HTMLCanvasElement>(null)
  const gltf = useLoader(GLTFLoader, `/api/mesh-geometry/${mesh.key}.glb`)
  const geometry = useMemo(
    () =>
      piecesOf(gltf.scene, mesh.renamed).pieces.find((piece) => piece.slot === slot.name)?.geometry,
    [gltf, mesh.renamed, slot.name],
  )
  const corners = useMemo(() => (geometry ? cornersOf(geometry) : new Float32Array()), [geometry])
  const image = useImage(picture)
  const [place, setPlace] = useState<Place | null>(null)
  const fitted = useMemo(() => fit(slot), [slot])
  const at = place ?? fitted
  useEffect(() => {
    const context = canvas.current?.getContext('2d')
    if (!context) return
    const first = mesh.slots
      .slice(
        0,
        mesh.slots.findIndex((entry) => entry.name === slot.name),
      )
      .reduce((sum, entry) => sum + entry.triangles, 0)
    draw(
      context,
      at,
      image,
      corners,
      values && values.subarray(first, first + slot.triangles),
      view,
      view === 'density' ? densities.usual / densities.factor(slot.name) : densities.usual,
    )
  }, [at, corners, densities, image, mesh, slot, values, view])
  const wheel = (event: WheelEvent) => {
    const box = event.currentTarget.getBoundingClientRect()
    const [x, y] = [(event.clientX - box.left) / SIDE, (event.clientY - box.top) / SIDE]
    const zoom = Math.min(40, Math.max(0.05, at.zoom * (event.deltaY < 0 ? 1.2 : 1 / 1.2)))
    setPlace({ zoom, u: at.u + x / at.zoom - x / zoom, v: at.v + y / at.zoom - y / zoom })
  }
  const drag = (event: PointerEvent) => {
    if (event.buttons === 1)
      setPlace({
        ...at,
        u: at.u - event.movementX / SIDE / at.zoom,
        v: at.v - event.movementY / SIDE / at.zoom,
      })
  }
  return (
    <UvPictureBox
      ref={canvas}
      width={SIDE * 2}
      height={SIDE * 2}

      role="img"
      aria-label={labels.uvLayoutOf(slot.name)}
      title={labels.wheelToZoomDragToMove}
      onWheel={wheel}
      onPointerMove={drag}
      onDoubleClick={() => setPlace(null)}
    />
  )
}
