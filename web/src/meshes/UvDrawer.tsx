import { MenuItem, Select } from '@mui/material'
import { useLoader } from '@react-three/fiber'
import { useEffect, useMemo, useRef, useState } from 'react'
import type { PointerEvent, WheelEvent } from 'react'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'

import { useBoard, usePadding, useProject } from '../api/queries'
import type { Material, MeshFacts, SlotFacts } from '../api/types'
import { piecesOf } from '../viewport/Subjects'
import { RAMP, STAGE } from '../theme'
import type { MeshView } from './measures'
import { useDensities } from './density'
import { colourOf } from './measures'
import { flatShare } from './flat'
import { cornersOf } from './movedUvs'
import { labels } from '../words/meshes'

const SIDE = 268

/** The UV layout of a slot over any map, and what is to be said of it. */
export function UvDrawer({
  mesh,
  slot,
  view,
  values,
}: {
  mesh: MeshFacts
  slot: SlotFacts
  view: MeshView
  values: Float32Array | null
}) {
  const document = useProject().data?.document
  const board = useBoard().data ?? []
  const material = mesh.assigned[slot.name] ?? null
  const feeds = feedsOf(document?.materials ?? {}, material)
  const [picked, setPicked] = useState<string | null>(null)
  const map =
    picked !== null && (picked === '' || board.some((entry) => entry.name === picked))
      ? picked
      : (feeds[0] ?? '')
  const shown = board.find((entry) => entry.name === map)
  const padding = usePadding(mesh.name, slot.name, shown ? map : null).data
  const size = padding
    ? Math.max(padding.width, padding.height)
    : shown
      ? Math.max(shown.width, shown.height)
      : 1024
  const { uv } = slot
  const gap = uv.gap == null ? null : uv.gap * size
  const tight = gap !== null && gap > 0 && padding?.padding != null && gap < 2 * padding.padding
  const percent = (share: number | undefined) =>
    `${((share ?? 0) * 100).toFixed(share && share < 0.01 ? 1 : 0)} %`
  return (
    <section className="uv-drawer" aria-label={labels.uvsOf(slot.name)}>
      <UvPicture
        mesh={mesh}
        slot={slot}
        picture={shown ? `/api/map-pictures/${shown.sha256}/rgb/512.png` : null}
        view={view}
        values={values}
      />
      <div className="uv-facts">
        <h2>{labels.uvsOf(slot.name)}</h2>
        <div className="small row" style={{ gap: 4 }}>
          {labels.over}
          <Select
            variant="standard"
            disableUnderline
            displayEmpty
            value={map}
            onChange={(event) => setPicked(event.target.value)}
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
        </div>
        {uv.min == null ? (
          <p className="small">{labels.itHasNoUvsUnwrapIt}</p>
        ) : (
          <div className="mono uv-numbers">
            <span>
              {labels.coversIsland(percent(uv.coverage), uv.islands, uv.islands === 1 ? '' : 's')}
            </span>
            <span>
              {labels.overlapWord} {percent(uv.overlap)}
              {(uv.stacked ?? 0) + (uv.mirrored ?? 0) > 0.005 &&
                labels.twins(percent((uv.stacked ?? 0) + (uv.mirrored ?? 0)))}{' '}
              {labels.flipped} {percent(uv.flipped)}
            </span>
            <span>
              {uv.l2 == null || uv.linf == null
                ? labels.stretchWithoutArea
                : labels.stretchL2L(uv.l2.toFixed(2), uv.linf.toFixed(2))}
            </span>
            <span>
              {slot.density == null
                ? labels.noDensity
                : labels.texelsAMetreAt(Math.round(slot.density * size), size)}
            </span>
            {slot.spread && slot.density && (
              <span>
                {labels.fromTo(
                  Math.round(slot.spread[0] * size),
                  Math.round(slot.spread[1] * size),
                )}
              </span>
            )}
            {gap !== null && <span>{labels.gapTexelsAt(gap.toFixed(gap < 10 ? 1 : 0), size)}</span>}
            <Shading mesh={mesh} slot={slot.name} />
            {padding && (
              <span>
                {padding.padding == null
                  ? labels.paintedOnEverywhere
                  : labels.paddingInTheMapTexels(padding.padding)}
              </span>
            )}
          </div>
        )}
        {tight && (
          <p className="small">
            <span className="chip amber">△</span> {labels.islandsAreNearerThanTwiceThe}
          </p>
        )}
      </div>
    </section>
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

function UvPicture({
  mesh,
  slot,
  picture,
  view,
  values,
}: {
  mesh: MeshFacts
  slot: SlotFacts
  picture: string | null
  view: MeshView
  values: Float32Array | null
}) {
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
    <canvas
      ref={canvas}
      width={SIDE * 2}
      height={SIDE * 2}
      className="uv-picture"
      role="img"
      aria-label={labels.uvLayoutOf(slot.name)}
      title={labels.wheelToZoomDragToMove}
      onWheel={wheel}
      onPointerMove={drag}
      onDoubleClick={() => setPlace(null)}
    />
  )
}

/** A picture by its address, once it is there. */
export function useImage(address: string | null): HTMLImageElement | null {
  const [loaded, setLoaded] = useState<{ of: string; image: HTMLImageElement } | null>(null)
  useEffect(() => {
    if (!address) return
    const coming = new Image()
    coming.onload = () => setLoaded({ of: address, image: coming })
    coming.src = address
  }, [address])
  return loaded && loaded.of === address ? loaded.image : null
}

/** Where to look so that 0–1 and all of the slot's UVs are seen. */
export function fit(slot: SlotFacts): Place {
  const low = [0, 1].map((axis) => Math.min(0, slot.uv.min?.[axis] ?? 0))
  const high = [0, 1].map((axis) => Math.max(1, slot.uv.max?.[axis] ?? 1))
  const reach = Math.max(high[0]! - low[0]!, high[1]! - low[1]!) * 1.04
  return {
    zoom: 1 / reach,
    u: (low[0]! + high[0]! - reach) / 2,
    v: (low[1]! + high[1]! - reach) / 2,
  }
}

function draw(
  context: CanvasRenderingContext2D,
  at: Place,
  image: HTMLImageElement | null,
  corners: Float32Array,
  values: Float32Array | null,
  view: MeshView,
  usual: number,
) {
  drawGround(context, at, image)
  const path = pathOf(context, at, corners)
  const count = corners.length / 2
  if (values) {
    context.globalAlpha = 0.8
    for (let i = 0; i < count; i += 3) {
      context.fillStyle = `#${colourOf(view, values[i / 3] ?? NaN, usual).getHexString()}`
      context.beginPath()
      path(i)
      context.fill()
    }
    context.globalAlpha = 1
  }
  drawLines(context, path, count)
}

export interface Place {
  zoom: number
  u: number
  v: number
}

/** A picture on every square of the UVs that is seen, the first one plainly. */
export function drawGround(
  context: CanvasRenderingContext2D,
  at: Place,
  image: HTMLImageElement | null,
) {
  const side = context.canvas.width
  const x = (u: number) => (u - at.u) * at.zoom * side
  const y = (v: number) => (v - at.v) * at.zoom * side
  context.fillStyle = RAMP.none
  context.fillRect(0, 0, side, side)
  const unit = at.zoom * side
  const [left, top] = [Math.floor(at.u), Math.floor(at.v)]
  for (let v = top; v <= Math.floor(at.v + 1 / at.zoom) && v - top < 24; v += 1) {
    for (let u = left; u <= Math.floor(at.u + 1 / at.zoom) && u - left < 24; u += 1) {
      context.globalAlpha = u === 0 && v === 0 ? 1 : 0.35
      if (image) context.drawImage(image, x(u), y(v), unit, unit)
    }
  }
  context.globalAlpha = 1
  context.strokeStyle = STAGE.black
  context.lineWidth = 1
  context.strokeRect(x(0), y(0), unit, unit)
}

/** Puts the triangle that begins at a corner into the path. */
export function pathOf(context: CanvasRenderingContext2D, at: Place, corners: Float32Array) {
  const scale = at.zoom * context.canvas.width
  return (i: number) => {
    for (let k = 0; k < 3; k += 1) {
      const [u, v] = [corners[2 * (i + k)]!, corners[2 * (i + k) + 1]!]
      const [x, y] = [(u - at.u) * scale, (v - at.v) * scale]
      if (k === 0) context.moveTo(x, y)
      else context.lineTo(x, y)
    }
    context.closePath()
  }
}

/** The edges of all triangles, light on dark. Many lines are drawn thinner, so that the layout stays to be seen. */
export function drawLines(
  context: CanvasRenderingContext2D,
  path: (corner: number) => void,
  count: number,
) {
  const thin = count > 30_000 ? 0.35 : 0.9
  context.beginPath()
  for (let i = 0; i < count; i += 3) path(i)
  context.strokeStyle = STAGE.black
  context.globalAlpha = 0.5 * thin
  context.lineWidth = 3
  context.stroke()
  context.globalAlpha = thin
  context.strokeStyle = STAGE.white
  context.lineWidth = 1.2
  context.stroke()
  context.globalAlpha = 1
}
