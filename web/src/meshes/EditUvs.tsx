import { styled } from '@mui/material/styles'
import { BAKE_SIZES } from '../api/tables'
import {
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
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
import { Tick } from '../components/Tick'
import { labels } from '../words/meshes'

const PaletteBox = styled('button')({
  position: 'relative',
  gridColumn: '1 / -1',
  width: 260,
  padding: 0,
  border: '1px solid var(--strong)',
  background: 'none',
  cursor: 'pointer',
  lineHeight: 0,
  '& img': {
    width: '100%',
    aspectRatio: '1',
    imageRendering: 'pixelated',
  },
  '& span': {
    position: 'absolute',
    outline: '2px solid var(--ink)',
    boxShadow: 'inset 0 0 0 2px var(--surface)',
  },
})

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

const USUAL = {
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
}
type Values = typeof USUAL

const read = (text: string) => Number(text.replace(',', '.'))

const isBad = (values: Values) =>
  Object.values(values).some((text) => text.trim() === '' || Number.isNaN(read(text)))

/** The step of the recipe that is asked for; null for what a job makes. */
function stepOf(action: UvAction, slots: string[], at: number[] | null, values: Values) {
  const number = (key: keyof Values) => read(values[key])
  const steps: Partial<Record<UvAction, MeshStep>> = {
    palette: {
      kind: 'palette-uvs',
      slot: slots[0]!,
      by: 'face',
      at,
      square: [number('column') - 1, number('row') - 1],
      grid: [number('columns'), number('rows')],
    },
    smooth: { kind: 'shade', slots, angle: number('angle') },
  }
  if (action === 'pack' || action === 'unwrap')
    steps[action] = {
      kind: 'pack-uvs',
      slots,
      anew: action === 'unwrap',
      texels: number('texels'),
      gap: number('gap'),
    }
  return steps[action] ?? null
}

const PAINTED = { sides: 'three-sides', colours: 'colours', mask: 'faces' } as const

interface Choices {
  values: Values
  /** Whether a projection unwraps the slot first. */
  anew: boolean
  /** Whether what is baked feeds the slot's material. */
  feed: boolean
}

/** Starts what is asked for: a step of the recipe, or a job. */
function useStart({ mesh, slots, action, at }: Omit<Props, 'close'>) {
  const change = useRecipe()
  const { startBake, startPaint } = useStartJob()
  return ({ values, anew, feed }: Choices) => {
    const step = stepOf(action, slots, at ?? null, values)
    const of = {
      mesh: mesh.name,
      slot: slots[0]!,
      size: read(values.texels) as (typeof BAKE_SIZES)[number],
    }
    if (step) void change(mesh.name, { append: step })
    else if (action === 'sides' || action === 'colours' || action === 'mask')
      startPaint.mutate({
        ...of,
        what: PAINTED[action],
        at: at ?? null,
        metres: read(values.metres),
        hardness: read(values.hardness),
        offset: read(values.side),
        anew,
      })
    else startBake.mutate({ ...of, samples: read(values.samples), feed })
  }
}

function AskNumbers({ close, ...asked }: Props) {
  const { mesh, slots, action } = asked
  const start = useStart(asked)
  const [values, setValues] = useState(USUAL)
  // Faces that share texels would each get a mean of all: they are unwrapped first.
  const overlaps = mesh.slots.some((slot) => slots.includes(slot.name) && slot.uv.overlap > OVERLAP)
  const [anew, setAnew] = useState(overlaps)
  const [feed, setFeed] = useState(true)
  const bad = isBad(values)
  const sides =
    action === 'sides'
      ? {
          metres: read(values.metres),
          hardness: read(values.hardness),
          offset: read(values.side),
        }
      : null
  useSidesShown(mesh.key, slots[0]!, sides)
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
          if (bad) return
          start({ values, anew, feed })
          close()
        }}
      >
        <DialogTitle>
          {TITLES[action]}: {slots.join(', ')}
        </DialogTitle>
        <DialogContent>
          <Fields mesh={mesh} slot={slots[0]!} action={action} values={values} set={setValues} />
          {action === 'bake' && (
            <Tick label={labels.feedItToTheMaterialOf} on={feed} set={setFeed} />
          )}
          {action === 'sides' && <Tick label={labels.unwrapItAnewFirst} on={anew} set={setAnew} />}
          {action === 'sides' && overlaps && (
            <p className="small amber" role="status">
              {labels.itsUvsOverlapFacesThatShare}
            </p>
          )}
          {REMARKS[action] && <p className="small">{REMARKS[action]}</p>}
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

const REMARKS: Partial<Record<UvAction, string>> = {
  sides: labels.theSlotGetsAMaterialOf,
  colours: labels.coloursBetweenVerticesAsAnEngine,
  mask: labels.whiteOnThePickedFacesBlack,
  unwrap: labels.itsUvsAreCutAnewMaps,
  bake: labels.theWholeMeshThrowsShadeSlots,
}

type Field = [key: keyof Values, label: string, unit?: string]

/** The numbers that an action asks for, besides the size of a map. */
const FIELDS: Partial<Record<UvAction, Field[]>> = {
  pack: [['gap', labels.islandMargin, labels.wordTexels]],
  unwrap: [['gap', labels.islandMargin, labels.wordTexels]],
  palette: [
    ['columns', labels.columns, labels.ofThePalette],
    ['rows', labels.rows, labels.ofThePalette],
    ['column', labels.column, labels.fromTheLeft1First],
    ['row', labels.row, labels.fromAbove1First],
  ],
  smooth: [['angle', labels.upToAnAngleOf, labels.degreesBetweenFacesSharperEdgesStay]],
  sides: [
    ['metres', labels.itsMapsCover, labels.wordMetres],
    ['hardness', labels.hardness, labels.hardnessHint],
    ['side', labels.offset, labels.offsetHint],
  ],
  bake: [['samples', labels.raysPerTexel, labels.raysHint]],
}

interface FieldsProps {
  mesh: MeshFacts
  slot: string
  action: UvAction
  values: Values
  set: (values: Values) => void
}

function Fields({ mesh, slot, action, values, set }: FieldsProps) {
  return (
    <div className="fields">
      {action === 'palette' && (
        <PaletteSquares
          mesh={mesh}
          slot={slot}
          columns={read(values.columns)}
          rows={read(values.rows)}
          at={[read(values.column), read(values.row)]}
          choose={(column, row) => set({ ...values, column: String(column), row: String(row) })}
        />
      )}
      {action !== 'palette' && action !== 'smooth' && (
        <TextField
          select
          label={labels.sizeOfTheMap}
          value={values.texels}
          onChange={(event) => set({ ...values, texels: event.target.value })}
        >
          {BAKE_SIZES.map((side) => (
            <MenuItem key={side} value={String(side)}>
              {side}²
            </MenuItem>
          ))}
        </TextField>
      )}
      {(FIELDS[action] ?? []).map(([key, label, unit]) => (
        <TextField
          key={key}
          label={label}
          value={values[key]}
          error={Number.isNaN(read(values[key]))}
          helperText={unit}
          onChange={(event) => set({ ...values, [key]: event.target.value })}
          onFocus={(event) => event.target.select()}
          slotProps={{ htmlInput: { inputMode: 'decimal' } }}
        />
      ))}
    </div>
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
    <PaletteBox
      type="button"

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
    </PaletteBox>
  )
}
