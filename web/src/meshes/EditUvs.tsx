import { BAKE_SIZES } from '../api/tables'
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
import { labels } from '../words/meshes'

export type UvAction =
  'move' | 'pack' | 'unwrap' | 'palette' | 'bake' | 'sides' | 'colours' | 'mask' | 'smooth'
export const UV_ACTIONS: { key: UvAction; words: string }[] = [
  { key: 'move', words: labels.moveTurnOrScaleItsUvs },
  { key: 'pack', words: labels.packItsIslands },
  { key: 'unwrap', words: labels.unwrapItAnew },
  { key: 'palette', words: labels.snapToPaletteSwatch },
  { key: 'smooth', words: labels.shadeItSmooth },
  { key: 'bake', words: labels.bakeItsOcclusion },
  { key: 'sides', words: labels.triplanarProjection },
  { key: 'colours', words: labels.makeAMapOfItsVertex },
]
const TITLES: Record<UvAction, string> = {
  move: labels.moveUvs,
  pack: labels.packIslands,
  unwrap: labels.unwrapAnew,
  palette: labels.snapToPaletteSwatchTitle,
  bake: labels.bakeOcclusion,
  sides: labels.throwOnFromThreeSides,
  colours: labels.makeAMapOfVertexColours,
  mask: labels.makeAMaskOfThePicked,
  smooth: labels.shadeSmooth,
}
const KEPT_AS_STEP: UvAction[] = ['pack', 'unwrap', 'palette', 'smooth']

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
      label={labels.sizeOfTheMap}
      value={values.texels}
      onChange={(event) => setValues({ ...values, texels: event.target.value })}
    >
      {BAKE_SIZES.map((side) => (
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
        size: number('texels') as (typeof BAKE_SIZES)[number],
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
        size: number('texels') as (typeof BAKE_SIZES)[number],
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
              field('gap', labels.islandMargin, 'texels'),
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
              field('columns', labels.columns, labels.ofThePalette),
              field('rows', labels.rows, labels.ofThePalette),
              field('column', labels.column, labels.fromTheLeft1First),
              field('row', labels.row, labels.fromAbove1First),
            ]}
            {(action === 'colours' || action === 'mask') && size}
            {action === 'smooth' &&
              field('angle', labels.upToAnAngleOf, labels.degreesBetweenFacesSharperEdgesStay)}
            {action === 'sides' && [
              size,
              field('metres', labels.itsMapsCover, 'metres'),
              field('hardness', labels.hardness, labels.hardnessHint),
              field('side', labels.offset, labels.offsetHint),
            ]}
            {action === 'bake' && [size, field('samples', labels.raysPerTexel, labels.raysHint)]}
          </div>
          {action === 'bake' && (
            <FormControlLabel
              label={labels.feedItToTheMaterialOf}
              control={
                <Checkbox checked={feed} onChange={(event) => setFeed(event.target.checked)} />
              }
            />
          )}
          {action === 'sides' && (
            <>
              <FormControlLabel
                label={labels.unwrapItAnewFirst}
                control={
                  <Checkbox checked={anew} onChange={(event) => setAnew(event.target.checked)} />
                }
              />
              {overlaps && (
                <p className="small amber" role="status">
                  {labels.itsUvsOverlapFacesThatShare}
                </p>
              )}
              <p className="small">{labels.theSlotGetsAMaterialOf}</p>
            </>
          )}
          {action === 'colours' && (
            <p className="small">{labels.coloursBetweenVerticesAsAnEngine}</p>
          )}
          {action === 'mask' && <p className="small">{labels.whiteOnThePickedFacesBlack}</p>}
          {action === 'unwrap' && <p className="small">{labels.itsUvsAreCutAnewMaps}</p>}
          {action === 'bake' && <p className="small">{labels.theWholeMeshThrowsShadeSlots}</p>}
          {KEPT_AS_STEP.includes(action) && <p className="small">{labels.keptAsAStepOnThe}</p>}
        </DialogContent>
        <DialogActions>
          <Button onClick={close}>{labels.cancel}</Button>
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
      aria-label={labels.squareOfClickAnother(at[0], at[1], map.name)}
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
