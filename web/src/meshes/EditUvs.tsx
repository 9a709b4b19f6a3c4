import {
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  Checkbox,
  MenuItem,
  TextField,
} from '@mui/material'
import { Suspense, useEffect, useState } from 'react'

import { useRecipe } from '../api/changes'
import { useStartJob } from '../api/jobs'
import { useBoard, useProject } from '../api/queries'
import { OVERLAP } from '../api/tables'
import { feedOf } from '../api/optimistic'
import type { MeshFacts, MeshStep } from '../api/types'
import { Picture } from '../components/Picture'
import type { Sides } from '../viewport/sidesPreview'
import { useSidesPreview } from '../viewport/sidesPreview'
import { MoveUvs } from './MoveUvs'

export type UvAction =
  'move' | 'pack' | 'unwrap' | 'palette' | 'bake' | 'sides' | 'colours' | 'mask' | 'smooth'
export const UV_ACTIONS: { key: UvAction; words: string }[] = [
  { key: 'move', words: 'Move, turn or scale its UVs…' },
  { key: 'pack', words: 'Pack its islands…' },
  { key: 'unwrap', words: 'Unwrap it anew…' },
  { key: 'palette', words: 'Snap to palette swatch…' },
  { key: 'smooth', words: 'Shade it smooth…' },
  { key: 'bake', words: 'Bake its occlusion…' },
  { key: 'sides', words: 'Triplanar projection…' },
  { key: 'colours', words: 'Make a map of its vertex colours…' },
]
const TITLES: Record<UvAction, string> = {
  move: 'Move UVs',
  pack: 'Pack islands',
  unwrap: 'Unwrap anew',
  palette: 'Snap to palette swatch',
  bake: 'Bake occlusion',
  sides: 'Throw on from three sides',
  colours: 'Make a map of vertex colours',
  mask: 'Make a mask of the picked faces',
  smooth: 'Shade smooth',
}
const KEPT_AS_STEP: UvAction[] = ['pack', 'unwrap', 'palette', 'smooth']
const SIZES = [256, 512, 1024, 2048, 4096] as const

interface Props {
  mesh: MeshFacts
  slots: string[]
  action: UvAction
  at?: number[]
  close: () => void
}

/** Asks for what one step on the UVs of some slots needs. `at` are faces of the slot that it is for; without them, all. */
export function EditUvs(props: Props) {
  return props.action === 'move' ? (
    <Suspense fallback={null}>
      <MoveUvs {...props} />
    </Suspense>
  ) : (
    <AskNumbers {...props} />
  )
}

/** Shows on the stage what would be thrown, as long as the question is open. */
function useSidesShown(of: string, slot: string, sides: Sides | null) {
  const said =
    sides && Object.values(sides).every((value) => Number.isFinite(value))
      ? JSON.stringify(sides)
      : null
  useEffect(() => {
    if (said) useSidesPreview.getState().show(of, slot, JSON.parse(said) as Sides)
  }, [of, said, slot])
  useEffect(() => () => useSidesPreview.getState().end(), [])
}

function AskNumbers({ mesh, slots, action, at, close }: Props) {
  const change = useRecipe()
  const { startBake, startPaint } = useStartJob()
  const [values, setValues] = useState({
    texels: '1024',
    gap: '8',
    column: '1',
    row: '1',
    columns: '8',
    rows: '8',
    samples: '64',
    metres: '1',
    hardness: '4',
    side: '0',
    angle: '30',
  })
  // Faces that share texels would each get a mean of all: they are unwrapped first.
  const overlaps = mesh.slots.some((slot) => slots.includes(slot.name) && slot.uv.overlap > OVERLAP)
  const [anew, setAnew] = useState(overlaps)
  const [feed, setFeed] = useState(true)
  const number = (key: keyof typeof values) => Number(values[key].replace(',', '.'))
  const field = (key: keyof typeof values, label: string, unit = '') => (
    <TextField
      key={key}
      label={label}
      value={values[key]}
      error={Number.isNaN(number(key))}
      helperText={unit}
      onChange={(event) => setValues({ ...values, [key]: event.target.value })}
      onFocus={(event) => event.target.select()}
      slotProps={{ htmlInput: { inputMode: 'decimal' } }}
    />
  )
  const size = (
    <TextField
      key="texels"
      select
      label="Size of the map"
      value={values.texels}
      onChange={(event) => setValues({ ...values, texels: event.target.value })}
    >
      {SIZES.map((side) => (
        <MenuItem key={side} value={String(side)}>
          {side}²
        </MenuItem>
      ))}
    </TextField>
  )
  const bad = Object.values(values).some(
    (text) => text.trim() === '' || Number.isNaN(Number(text.replace(',', '.'))),
  )
  const step = (): MeshStep | null => {
    if (action === 'pack' || action === 'unwrap')
      return {
        kind: 'pack-uvs',
        slots,
        anew: action === 'unwrap',
        texels: number('texels'),
        gap: number('gap'),
      }
    if (action === 'palette')
      return {
        kind: 'palette-uvs',
        slot: slots[0]!,
        by: 'face',
        at: at ?? null,
        square: [number('column') - 1, number('row') - 1],
        grid: [number('columns'), number('rows')],
      }
    if (action === 'smooth') return { kind: 'shade', slots, angle: number('angle') }
    return null
  }
  const sides =
    action === 'sides'
      ? { metres: number('metres'), hardness: number('hardness'), offset: number('side') }
      : null
  useSidesShown(mesh.key, slots[0]!, sides)
  const done = () => {
    const made = step()
    if (made) void change(mesh.name, { append: made })
    else if (action === 'sides' || action === 'colours' || action === 'mask')
      startPaint.mutate({
        mesh: mesh.name,
        slot: slots[0]!,
        what: ({ sides: 'three-sides', colours: 'colours', mask: 'faces' } as const)[action],
        size: number('texels') as (typeof SIZES)[number],
        at: at ?? null,
        metres: number('metres'),
        hardness: number('hardness'),
        offset: number('side'),
        anew,
      })
    else
      startBake.mutate({
        mesh: mesh.name,
        slot: slots[0]!,
        size: number('texels') as (typeof SIZES)[number],
        samples: number('samples'),
        feed,
      })
    close()
  }
  return (
    <Dialog
      open
      onClose={close}
      maxWidth="xs"
      fullWidth
      // What is being decided is seen on the stage beside it.
      {...(action === 'sides' && {
        hideBackdrop: true,
        sx: { '& .MuiDialog-container': { justifyContent: 'flex-end' } },
      })}
    >
      <form
        onSubmit={(event) => {
          event.preventDefault()
          if (!bad) done()
        }}
      >
        <DialogTitle>
          {TITLES[action]}: {slots.join(', ')}
        </DialogTitle>
        <DialogContent>
          <div className="fields">
            {(action === 'pack' || action === 'unwrap') && [
              size,
              field('gap', 'Island margin', 'texels'),
            ]}
            {action === 'palette' && (
              <PaletteSquares
                mesh={mesh}
                slot={slots[0]!}
                columns={number('columns')}
                rows={number('rows')}
                at={[number('column'), number('row')]}
                choose={(column, row) =>
                  setValues({ ...values, column: String(column), row: String(row) })
                }
              />
            )}
            {action === 'palette' && [
              field('columns', 'Columns', 'of the palette'),
              field('rows', 'Rows', 'of the palette'),
              field('column', 'Column', 'from the left, 1 first'),
              field('row', 'Row', 'from above, 1 first'),
            ]}
            {(action === 'colours' || action === 'mask') && size}
            {action === 'smooth' &&
              field('angle', 'Up to an angle of', 'degrees between faces; sharper edges stay hard')}
            {action === 'sides' && [
              size,
              field('metres', 'Its maps cover', 'metres'),
              field('hardness', 'Hardness', '1 soft, 16 almost an edge'),
              field('side', 'Offset', '0–0.5: more leaves each side to itself'),
            ]}
            {action === 'bake' && [
              size,
              field('samples', 'Rays per texel', '64 are usual, 256 fine'),
            ]}
          </div>
          {action === 'bake' && (
            <FormControlLabel
              label="Feed it to the material of the slot"
              control={
                <Checkbox checked={feed} onChange={(event) => setFeed(event.target.checked)} />
              }
            />
          )}
          {action === 'sides' && (
            <>
              <FormControlLabel
                label="Unwrap it anew first"
                control={
                  <Checkbox checked={anew} onChange={(event) => setAnew(event.target.checked)} />
                }
              />
              {overlaps && (
                <p className="small amber" role="status">
                  △ Its UVs overlap. Faces that share texels cannot each show the projection, so it
                  has to be unwrapped first.
                </p>
              )}
              <p className="small">
                The slot gets a material of its own, derived from its current one, with maps in its
                own UVs. A slot without UVs is unwrapped. One step to undo.
              </p>
            </>
          )}
          {action === 'colours' && (
            <p className="small">
              Colours between vertices, as an engine draws them; alpha too, where there is any. Feed
              an input from it, or use a channel as a mask.
            </p>
          )}
          {action === 'mask' && (
            <p className="small">
              White on the picked faces, black on the rest of what has the same material: to cover
              it there, or to lay something over an input.
            </p>
          )}
          {action === 'unwrap' && (
            <p className="small">
              Its UVs are cut anew; maps that were painted for the old ones will not fit any more.
            </p>
          )}
          {action === 'bake' && (
            <p className="small">
              The whole mesh throws shade. Slots that share a material are baked into one map; UVs
              must not overlap.
            </p>
          )}
          {KEPT_AS_STEP.includes(action) && (
            <p className="small">
              Kept as a step on the mesh and applied on export; the file stays as it is.
            </p>
          )}
        </DialogContent>
        <DialogActions>
          <Button onClick={close}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={bad}>
            {TITLES[action].split(' ')[0]}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  )
}

interface SquaresProps {
  mesh: MeshFacts
  slot: string
  columns: number
  rows: number
  /** Column and row, 1 first. */
  at: [number, number]
  choose: (column: number, row: number) => void
}

/** The palette that a slot wears, to be clicked: the square under the pointer is the one. */
function PaletteSquares({ mesh, slot, columns, rows, at, choose }: SquaresProps) {
  const document = useProject().data?.document
  const material = mesh.assigned[slot]
  const fed = document && material ? feedOf(document, material, 'base_color')?.map : undefined
  const map = useBoard().data?.find((entry) => entry.name === fed)
  if (!map || map.width === 0 || !(columns >= 1) || !(rows >= 1)) return null
  return (
    <button
      type="button"
      className="palette"
      aria-label={`Square ${at[0]}, ${at[1]} of ${map.name}: click another`}
      onClick={(event) => {
        const box = event.currentTarget.getBoundingClientRect()
        // A key has no place: the fields below are for it.
        if (event.detail === 0) return
        const across = (event.clientX - box.left) / box.width
        const down = (event.clientY - box.top) / box.height
        choose(1 + Math.floor(across * columns), 1 + Math.floor(down * rows))
      }}
    >
      <Picture src={`/api/map-pictures/${map.sha256}/rgb/512.png`} alt="" />
      <span
        style={{
          left: `${(100 * (at[0] - 1)) / columns}%`,
          top: `${(100 * (at[1] - 1)) / rows}%`,
          width: `${100 / columns}%`,
          height: `${100 / rows}%`,
        }}
      />
    </button>
  )
}
