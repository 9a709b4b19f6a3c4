import { BAKE_SIZES } from '../api/tables'
import {
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  MenuItem,
  TextField,
} from '@mui/material'
import { useLoader } from '@react-three/fiber'
import type { PointerEvent } from 'react'
import { useEffect, useMemo, useRef, useState } from 'react'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'

import { useRecipe } from '../api/changes'
import { useBoard, useProject } from '../api/queries'
import type { MeshFacts } from '../api/types'
import { readNumber } from '../components/useTyped'
import { piecesOf } from '../viewport/Subjects'
import { useUvPreview } from '../viewport/uvPreview'
import { STAGE } from '../theme'
import type { Move } from './movedUvs'
import { cornersOf, moved, toTexels } from './movedUvs'
import { drawGround, drawLines, feedsOf, fit, pathOf, useImage } from './UvDrawer'
import { labels } from '../words/meshes'

const SIDE = 250
const NONE = new Float32Array()

interface Props {
  mesh: MeshFacts
  slots: string[]
  /** Faces of the slot that are moved; without them, all. */
  at?: number[] | undefined
  close: () => void
}

/** Moves UVs in place: seen at once on the layout and on the stage, kept when it is right. */
export function MoveUvs({ mesh, slots, at, close }: Props) {
  const change = useRecipe()
  const [typed, setTyped] = useState({ u: '0', v: '0', turn: '0', scaleU: '1', scaleV: '1' })
  const map = useWorn(mesh, slots[0]!)
  const usual = Math.max(map?.width ?? 0, map?.height ?? 0) || 1024
  const [snaps, setSnaps] = useState(false)
  const [size, setSize] = useState<number | null>(null)
  const texels = size ?? usual
  const numbers = Object.values(typed).map(readNumber)
  const bad = numbers.includes(null) || numbers[3] === 0 || numbers[4] === 0
  const key = bad ? null : JSON.stringify([numbers, snaps && texels])
  const move = useMemo<Move | null>(() => {
    if (key === null) return null
    const [[u, v, turn, scaleU, scaleV], step] = JSON.parse(key) as [
      [number, number, number, number, number],
      number | false,
    ]
    return {
      offset: step ? [toTexels(u, step), toTexels(v, step)] : [u, v],
      rotation: turn,
      scale: [scaleU, scaleV],
      about: at ? null : [0.5, 0.5],
    }
  }, [at, key])
  const layout = useTried(mesh, slots, at ?? null, move)
  const field = (name: keyof typeof typed, label: string, unit: string) => (
    <TextField
      label={label}
      value={typed[name]}
      error={readNumber(typed[name]) === null}
      helperText={unit}
      onChange={(event) => setTyped({ ...typed, [name]: event.target.value })}
      onFocus={(event) => event.target.select()}
      slotProps={{ htmlInput: { inputMode: 'decimal' } }}
    />
  )
  const by = (u: number, v: number) =>
    setTyped((now) => ({
      ...now,
      u: String(Number(((readNumber(now.u) ?? 0) + u).toFixed(5))),
      v: String(Number(((readNumber(now.v) ?? 0) + v).toFixed(5))),
    }))
  const keep = () => {
    if (!move) return
    void change(mesh.name, {
      append: {
        kind: 'move-uvs',
        slots,
        offset: [...move.offset],
        rotation: move.rotation,
        scale: [...move.scale],
        about: move.about ? [...move.about] : null,
        at: at ?? null,
      },
    })
    close()
  }
  return (
    <Dialog
      open
      onClose={close}
      maxWidth={false}
      // The stage beside it shows what comes of it.
      slotProps={{ backdrop: { invisible: true }, paper: { sx: { width: 580 } } }}
      sx={{ '& .MuiDialog-container': { justifyContent: 'flex-end' } }}
    >
      <form
        onSubmit={(event) => {
          event.preventDefault()
          keep()
        }}
      >
        <DialogTitle>{labels.moveUvsOf(slots.join(', '))}</DialogTitle>
        <DialogContent className="row" sx={{ alignItems: 'flex-start', gap: 2 }}>
          <Layout
            mesh={mesh}
            slot={slots[0]!}
            picture={map ? `/api/map-pictures/${map.sha256}/rgb/512.png` : null}
            rest={layout.rest}
            tried={layout.tried}
            drag={by}
          />
          <div className="fields grow" style={{ paddingTop: 6 }}>
            {field(
              'u',
              labels.moveU,
              snaps ? inTexels(move?.offset[0], texels) : labels.toTheRight,
            )}
            {field('v', labels.moveV, snaps ? inTexels(move?.offset[1], texels) : 'down')}
            {field('scaleU', labels.scaleU, labels.negativeMirrors)}
            {field('scaleV', labels.scaleV, labels.negativeMirrors)}
            {field('turn', labels.turn, labels.degreesAboutTheMiddle)}
            <div className="row wrap" style={{ gridColumn: '1 / -1' }}>
              <Button
                onClick={() =>
                  setTyped({ ...typed, turn: String(((readNumber(typed.turn) ?? 0) + 90) % 360) })
                }
              >
                {labels.turnBy90}
              </Button>
              <Button
                onClick={() =>
                  setTyped({ ...typed, scaleU: String(-(readNumber(typed.scaleU) ?? 1)) })
                }
              >
                {labels.mirrorU}
              </Button>
              <Button
                onClick={() =>
                  setTyped({ ...typed, scaleV: String(-(readNumber(typed.scaleV) ?? 1)) })
                }
              >
                {labels.mirrorV}
              </Button>
            </div>
            <FormControlLabel
              sx={{ gridColumn: '1 / -1', mr: 0 }}
              label={labels.movesByWholeTexelsOf}
              control={
                <Checkbox checked={snaps} onChange={(event) => setSnaps(event.target.checked)} />
              }
            />
            <TextField
              select
              label={labels.sizeOfTheMap}
              value={texels}
              disabled={!snaps}
              onChange={(event) => setSize(Number(event.target.value))}
            >
              {[...new Set([...BAKE_SIZES, usual])]
                .sort((a, b) => a - b)
                .map((side) => (
                  <MenuItem key={side} value={side}>
                    {side}²
                  </MenuItem>
                ))}
            </TextField>
          </div>
        </DialogContent>
        <p className="small" style={{ padding: '0 24px' }}>
          {labels.dragTheLayoutToMoveIt}
        </p>
        <DialogActions>
          <Button onClick={close}>{labels.cancel}</Button>
          <Button type="submit" variant="contained" disabled={!move}>
            {labels.move}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  )
}

const inTexels = (offset: number | undefined, size: number) =>
  offset === undefined ? '' : labels.texels(Math.round(offset * size))

/** The first map that the slot's material is fed from. */
function useWorn(mesh: MeshFacts, slot: string) {
  const materials = useProject().data?.document.materials ?? {}
  const board = useBoard().data ?? []
  const [first] = feedsOf(materials, mesh.assigned[slot] ?? null)
  return board.find((entry) => entry.name === first)
}

/** The UVs as the move would leave them, shown on the stage while this is open; of the first slot also for the layout. */
function useTried(mesh: MeshFacts, slots: string[], at: number[] | null, move: Move | null) {
  const gltf = useLoader(GLTFLoader, `/api/mesh-geometry/${mesh.key}.glb`)
  const show = useUvPreview((state) => state.show)
  const which = slots.join('\n')
  const corners = useMemo(() => {
    const { pieces } = piecesOf(gltf.scene, mesh.renamed)
    return Object.fromEntries(
      which.split('\n').flatMap((slot) => {
        const geometry = pieces.find((piece) => piece.slot === slot)?.geometry
        return geometry ? [[slot, cornersOf(geometry)]] : []
      }),
    )
  }, [gltf, mesh.renamed, which])
  const tried = useMemo(
    () =>
      Object.fromEntries(
        Object.entries(corners).map(([slot, own]) => [slot, move ? moved(own, at, move) : own]),
      ),
    [at, corners, move],
  )
  useEffect(() => show(mesh.key, tried), [mesh.key, show, tried])
  useEffect(() => () => show(null, {}), [show])
  const first = slots[0]!
  const whole = tried[first] ?? NONE
  const picked = useMemo(() => {
    if (!at) return whole
    const some = new Float32Array(6 * at.length)
    at.forEach((face, number) => some.set(whole.subarray(6 * face, 6 * face + 6), 6 * number))
    return some
  }, [at, whole])
  return { rest: corners[first] ?? whole, tried: picked }
}

interface LayoutProps {
  mesh: MeshFacts
  slot: string
  picture: string | null
  /** The slot's UVs as they are. */
  rest: Float32Array
  /** What is moved, where it would be. */
  tried: Float32Array
  drag: (u: number, v: number) => void
}

/** The layout over its map: as it is in thin lines, as it would be in strong ones. */
function Layout({ mesh, slot, picture, rest, tried, drag }: LayoutProps) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const image = useImage(picture)
  const facts = mesh.slots.find((entry) => entry.name === slot)
  const place = useMemo(() => (facts ? fit(facts) : { zoom: 1, u: 0, v: 0 }), [facts])
  useEffect(() => {
    const context = canvas.current?.getContext('2d')
    if (!context) return
    drawGround(context, place, image)
    context.globalAlpha = 0.4
    context.strokeStyle = STAGE.white
    context.lineWidth = 1
    context.setLineDash([4, 4])
    context.beginPath()
    const before = pathOf(context, place, rest)
    for (let i = 0; i < rest.length / 2; i += 3) before(i)
    context.stroke()
    context.setLineDash([])
    context.globalAlpha = 1
    drawLines(context, pathOf(context, place, tried), tried.length / 2)
  }, [image, place, rest, tried])
  return (
    <canvas
      ref={canvas}
      width={2 * SIDE}
      height={2 * SIDE}
      style={{ width: SIDE, height: SIDE, cursor: 'move', touchAction: 'none', flex: 'none' }}
      role="img"
      aria-label={labels.uvsOfAsTheyWouldBe(slot)}
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={(event: PointerEvent) => {
        if (event.buttons === 1)
          drag(event.movementX / SIDE / place.zoom, event.movementY / SIDE / place.zoom)
      }}
    />
  )
}
