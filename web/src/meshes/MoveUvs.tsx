import { BAKE_SIZES } from '../api/tables'
import {
  Box,
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
import type { MeshFacts, MeshStep } from '../api/types'
import { readNumber } from '../components/useTyped'
import { piecesOf } from '../viewport/Subjects'
import { useUvPreview } from '../viewport/uvPreview'
import { STAGE } from '../theme'
import type { Move } from './movedUvs'
import { cornersOf, moved, toTexels } from './movedUvs'
import { feedsOf } from './UvDrawer'
import { drawGround, drawLines, fit, pathOf, useImage } from './uvDrawing'
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

const UNMOVED = { u: '0', v: '0', turn: '0', scaleU: '1', scaleV: '1' }
type Typed = typeof UNMOVED

/** The move that the typed numbers say, null while one of them says none. Texels that offsets snap to are none where they do not. */
function useMove(typed: Typed, at: number[] | undefined, texels: number | null) {
  const numbers = Object.values(typed).map(readNumber)
  const bad = numbers.includes(null) || numbers[3] === 0 || numbers[4] === 0
  const key = bad ? null : JSON.stringify([numbers, texels])
  return useMemo<Move | null>(() => {
    if (key === null) return null
    const [[u, v, turn, scaleU, scaleV], step] = JSON.parse(key) as [
      [number, number, number, number, number],
      number | null,
    ]
    return {
      offset: step ? [toTexels(u, step), toTexels(v, step)] : [u, v],
      rotation: turn,
      scale: [scaleU, scaleV],
      about: at ? null : [0.5, 0.5],
    }
  }, [at, key])
}

/** Moves UVs in place: seen at once on the layout and on the stage, kept when it is right. */
export function MoveUvs({ mesh, slots, at, close }: Props) {
  const change = useRecipe()
  const [typed, setTyped] = useState(UNMOVED)
  const map = useWorn(mesh, slots[0]!)
  const usual = Math.max(map?.width ?? 0, map?.height ?? 0) || 1024
  const [snaps, setSnaps] = useState(false)
  const [size, setSize] = useState<number | null>(null)
  const texels = size ?? usual
  const move = useMove(typed, at, snaps ? texels : null)
  const layout = useTried(mesh, slots, at ?? null, move)
  const by = (u: number, v: number) =>
    setTyped((now) => ({
      ...now,
      u: String(Number(((readNumber(now.u) ?? 0) + u).toFixed(5))),
      v: String(Number(((readNumber(now.v) ?? 0) + v).toFixed(5))),
    }))
  const keep = () => {
    if (!move) return
    void change(mesh.name, { append: stepOf(move, slots, at ?? null) })
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
          <Box className="fields grow" sx={{ pt: 0.75 }}>
            <Numbers typed={typed} set={setTyped} move={move} texels={snaps ? texels : null} />
            <Turns typed={typed} set={setTyped} />
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
          </Box>
        </DialogContent>
        <Box component="p" className="small" sx={{ px: 3 }}>
          {labels.dragTheLayoutToMoveIt}
        </Box>
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

const stepOf = (move: Move, slots: string[], at: number[] | null): MeshStep => ({
  kind: 'move-uvs',
  slots,
  offset: [...move.offset],
  rotation: move.rotation,
  scale: [...move.scale],
  about: move.about ? [...move.about] : null,
  at,
})

interface TypedProps {
  typed: Typed
  set: (typed: Typed) => void
}

interface NumbersProps extends TypedProps {
  move: Move | null
  /** Of the map's side, where offsets snap to them. */
  texels: number | null
}

function Numbers({ typed, set, move, texels }: NumbersProps) {
  const offset = (axis: 0 | 1, plain: string) =>
    texels === null ? plain : inTexels(move?.offset[axis], texels)
  const fields: [keyof Typed, string, string][] = [
    ['u', labels.moveU, offset(0, labels.toTheRight)],
    ['v', labels.moveV, offset(1, labels.wordDown)],
    ['scaleU', labels.scaleU, labels.negativeMirrors],
    ['scaleV', labels.scaleV, labels.negativeMirrors],
    ['turn', labels.turn, labels.degreesAboutTheMiddle],
  ]
  return fields.map(([name, label, unit]) => (
    <TextField
      key={name}
      label={label}
      value={typed[name]}
      error={readNumber(typed[name]) === null}
      helperText={unit}
      onChange={(event) => set({ ...typed, [name]: event.target.value })}
      onFocus={(event) => event.target.select()}
      slotProps={{ htmlInput: { inputMode: 'decimal' } }}
    />
  ))
}

function Turns({ typed, set }: TypedProps) {
  const number = (name: keyof Typed) => readNumber(typed[name]) ?? Number(UNMOVED[name])
  return (
    <Box className="row wrap" sx={{ gridColumn: '1 / -1' }}>
      <Button onClick={() => set({ ...typed, turn: String((number('turn') + 90) % 360) })}>
        {labels.turnBy90}
      </Button>
      <Button onClick={() => set({ ...typed, scaleU: String(-number('scaleU')) })}>
        {labels.mirrorU}
      </Button>
      <Button onClick={() => set({ ...typed, scaleV: String(-number('scaleV')) })}>
        {labels.mirrorV}
      </Button>
    </Box>
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
