import { Picture } from '../components/Picture'
import { Checkbox, Menu, MenuItem, Select } from '@mui/material'
import { useEffect, useState } from 'react'
import type { DragEvent, MouseEvent } from 'react'

import { useEdit } from '../api/changes'
import { useLooks, useProject } from '../api/queries'
import type { MeshFacts, SlotFacts } from '../api/types'
import { useStatus } from '../api/notices'
import { SLOT_TINTS } from '../theme'
import { MATERIAL } from './MaterialStrip'
import { count, naturally, readable } from '../words'
import { useDensities } from './density'
import type { Densities } from './density'
import { isNameless, oldName } from './measures'
import { NoteMark } from '../team/NoteMark'
import { useNoting } from '../team/notes'
import { SlotName } from './SlotName'
import { labels } from '../words/meshes'

type Column = 'slot' | 'triangles' | 'density' | 'uvs' | 'material' | 'done'
const COLUMNS: { key: Column; words: string }[] = [
  { key: 'slot', words: labels.slot },
  { key: 'triangles', words: labels.triangles },
  { key: 'density', words: labels.density },
  { key: 'uvs', words: labels.wordUVs },
  { key: 'material', words: labels.material },
  { key: 'done', words: labels.doneTitle },
]

export interface SlotTableProps {
  mesh: MeshFacts
  chosen: string[]
  lit: string | null
  hideDone: boolean
  hover: (slot: string | null) => void
  choose: (slot: string, more: boolean) => void
  toggleDone: (slot: string) => void
  actions: { words: string; run: (slot: string) => void }[]
  /** Gives whether it was made. */
  rename: (slot: string, name: string) => Promise<unknown>
}

/** The slots of a mesh: sorted by any column, with what each wears; materials can be dropped on rows. */
export function SlotTable({
  mesh,
  chosen,
  lit,
  hideDone,
  hover,
  choose,
  toggleDone,
  actions,
  rename,
}: SlotTableProps) {
  const densities = useDensities(mesh)
  const [naming, setNaming] = useState<string | null>(null)
  const [sort, setSort] = useState<{ by: Column | null; down: boolean }>({ by: null, down: false })
  if (!mesh.measured)
    return (
      <p className="quiet" style={{ padding: 14 }}>
        {labels.theMeshsFileIsMissingOr}
      </p>
    )
  const value = (slot: SlotFacts): string | number => {
    if (sort.by === 'triangles') return slot.triangles
    if (sort.by === 'density') return densities.of(slot) ?? -1
    if (sort.by === 'uvs') return uvState(slot, densities).words
    if (sort.by === 'material') return mesh.assigned[slot.name] ?? ''
    if (sort.by === 'done') return mesh.done.includes(slot.name) ? 1 : 0
    return slot.name
  }
  const rows = mesh.slots
    .map((slot, number) => ({ slot, number }))
    .filter(({ slot }) => !hideDone || !mesh.done.includes(slot.name))
  if (sort.by) rows.sort((a, b) => compared(value(a.slot), value(b.slot)) * (sort.down ? -1 : 1))
  return (
    <table className="grid slots">
      <thead>
        <tr>
          <th>
            <span className="sr">{labels.tint}</span>
          </th>
          {COLUMNS.map(({ key, words }) => (
            <th
              key={key}
              aria-sort={sort.by === key ? (sort.down ? 'descending' : 'ascending') : 'none'}
            >
              <button
                className="plain"
                onClick={() =>
                  setSort(
                    sort.by === key
                      ? sort.down
                        ? { by: null, down: false }
                        : { by: key, down: true }
                      : { by: key, down: false },
                  )
                }
              >
                {words}
                {key === 'density' && <span className="unit"> {densities.unit}</span>}
                {sort.by === key && <span aria-hidden>{sort.down ? ' ↓' : ' ↑'}</span>}
              </button>
            </th>
          ))}
          <th>
            <span className="sr">{labels.more}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {rows.map(({ slot, number }) => (
          <SlotRow
            key={slot.name}
            mesh={mesh}
            slot={slot}
            number={number}
            chosen={chosen}
            lit={lit === slot.name}
            hover={hover}
            choose={choose}
            toggleDone={toggleDone}
            actions={actions}
            densities={densities}
            naming={naming === slot.name}
            setNaming={setNaming}
            rename={(name, next) => {
              const after = rows[rows.findIndex((row) => row.slot === slot) + next]
              setNaming(next && after ? after.slot.name : null)
              if (name && name !== slot.name) void rename(slot.name, name)
            }}
          />
        ))}
        {rows.length === 0 && (
          <tr>
            <td colSpan={8} className="quiet" style={{ padding: 14 }}>
              {labels.everySlotIsDone}
            </td>
          </tr>
        )}
      </tbody>
    </table>
  )
}

interface RowProps extends Pick<
  SlotTableProps,
  'mesh' | 'chosen' | 'hover' | 'choose' | 'toggleDone' | 'actions'
> {
  slot: SlotFacts
  number: number
  lit: boolean
  densities: Densities
  naming: boolean
  setNaming: (slot: string | null) => void
  /** The name that was typed, and by how many rows naming goes on. */
  rename: (name: string, next: -1 | 0 | 1) => void
}

const compared = (a: string | number, b: string | number) =>
  typeof a === 'number' && typeof b === 'number' ? a - b : naturally(String(a), String(b))

function SlotRow({
  mesh,
  slot,
  number,
  chosen,
  lit,
  hover,
  choose,
  toggleDone,
  actions,
  densities,
  naming,
  setNaming,
  rename,
}: RowProps) {
  const edit = useEdit()
  const looks = useLooks().data ?? {}
  const materials = Object.keys(useProject().data?.document.materials ?? {}).sort(naturally)
  const show = useStatus((state) => state.show)
  const [under, setUnder] = useState(false)
  const note = useNoting((state) => state.open)
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const [over, setOver] = useState(false)
  const assigned = mesh.assigned[slot.name] ?? ''
  const key = looks[assigned]?.picture
  const current = chosen.includes(slot.name)
  const assign = (material: string | null) =>
    void edit({ kind: 'assign', mesh: mesh.name, slots: current ? chosen : [slot.name], material })
  const was = oldName(mesh, slot.name)
  const state = uvState(slot, densities)
  const drop = {
    onDragOver: (event: DragEvent) => {
      if (event.dataTransfer.types.includes(MATERIAL)) {
        event.preventDefault()
        setOver(true)
      }
    },
    onDragLeave: () => setOver(false),
    onDrop: (event: DragEvent) => {
      setOver(false)
      const material = event.dataTransfer.getData(MATERIAL)
      if (material) {
        event.preventDefault()
        assign(material)
      }
    },
  }
  const facts = labels.m2CoversOf01(
    slot.name,
    slot.area.toPrecision(3),
    Math.round(slot.uv.coverage * 100),
    count(slot.uv.islands, 'island'),
  )
  useEffect(() => {
    // Said anew when the slot is unwrapped or renamed under the pointer, and no longer than it is there.
    if (!under) return
    show(facts)
    return () => show('')
  }, [facts, show, under])
  const pick = (event: MouseEvent) =>
    choose(slot.name, event.ctrlKey || event.metaKey || event.shiftKey)
  return (
    <tr
      data-menu
      className={`${current || lit ? 'current' : ''} ${over ? 'over-drop' : ''}`}
      {...drop}
      onMouseEnter={() => {
        hover(slot.name)
        setUnder(true)
      }}
      onMouseLeave={() => {
        hover(null)
        setUnder(false)
      }}
    >
      <td style={{ width: 30 }}>
        <span className="badge" style={{ background: SLOT_TINTS[number % SLOT_TINTS.length] }}>
          {number + 1}
        </span>
      </td>
      <td>
        {naming ? (
          <SlotName name={slot.name} done={rename} />
        ) : (
          <button
            className="plain"
            aria-pressed={current}
            title={labels.doubleClickOrF2ToGive(slot.name)}
            onClick={pick}
            onDoubleClick={() => setNaming(slot.name)}
            onKeyDown={(event) => {
              if (event.key === 'F2') setNaming(slot.name)
            }}
            onFocus={() => hover(slot.name)}
            onBlur={() => hover(null)}
          >
            <b className={isNameless(slot.name) ? 'mono' : ''}>{slot.name}</b>
          </button>
        )}
        <NoteMark at={{ kind: 'slot', place: [mesh.name, slot.name] }} />
        {was ? (
          <div className="small">{labels.was(was)}</div>
        ) : isNameless(slot.name) ? (
          <div className="small">{labels.noRealName}</div>
        ) : null}
      </td>
      <td className="mono">
        {slot.triangles.toLocaleString('en-GB')}{' '}
        <span className="quiet">{Math.round(slot.share * 100)} %</span>
      </td>
      <td
        className="mono"
        title={
          slot.spread
            ? labels.uvUnitsAMetreATenth(
                readable(slot.density ?? 0),
                readable(slot.spread[0]),
                readable(slot.spread[1]),
              )
            : undefined
        }
      >
        {densities.words(slot).replace(` ${densities.unit}`, '')}
      </td>
      <td>
        <span className={`chip ${state.tone}`} title={state.why}>
          {state.words}
        </span>
      </td>
      <td className="takes-rest">
        <div className="row">
          {key ? (
            <Picture
              className="thumb"
              src={`/api/material-pictures/${key}/grey-room/96.png`}
              width={28}
              height={28}
              alt=""
            />
          ) : (
            <span
              className="thumb"
              style={{ width: 28, height: 28, background: 'none', borderStyle: 'dashed' }}
            />
          )}
          <Select
            size="small"
            variant="outlined"
            displayEmpty
            value={materials.includes(assigned) ? assigned : ''}
            sx={{
              flex: 1,
              minWidth: 0,
              maxWidth: 240,
              '& .MuiSelect-select': { padding: '3px 8px' },
            }}
            SelectDisplayProps={{ 'aria-label': labels.materialOf(slot.name) }}
            // The list belongs to the row for the browser's events, and closes under the pointer: nobody says that it left.
            onClose={() => hover(null)}
            onChange={(event) => assign(event.target.value || null)}
            renderValue={(shown) => shown || <span className="accent">{labels.choose}</span>}
          >
            <MenuItem value="">{labels.noneWord}</MenuItem>
            {materials.map((material) => (
              <MenuItem key={material} value={material}>
                {material}
              </MenuItem>
            ))}
          </Select>
        </div>
      </td>
      <td>
        <Checkbox
          checked={mesh.done.includes(slot.name)}
          onChange={() => toggleDone(slot.name)}
          slotProps={{ input: { 'aria-label': labels.isDone(slot.name) } }}
        />
      </td>
      <td style={{ width: 24, paddingLeft: 0 }}>
        <button
          className="plain more"
          aria-haspopup="menu"
          aria-label={labels.moreFor(slot.name)}
          onClick={(event) => setAnchor(event.currentTarget)}
        >
          ⋯
        </button>
        <Menu
          open={anchor !== null}
          anchorEl={anchor}
          onClose={() => {
            setAnchor(null)
            hover(null)
          }}
        >
          {actions.map(({ words, run }) => (
            <MenuItem
              key={words}
              onClick={() => {
                setAnchor(null)
                run(slot.name)
              }}
            >
              {words}
            </MenuItem>
          ))}
          <MenuItem
            onClick={() => {
              setAnchor(null)
              note({ kind: 'slot', place: [mesh.name, slot.name] })
            }}
          >
            {labels.addNote}
          </MenuItem>
        </Menu>
      </td>
    </tr>
  )
}

/** So many times in a row a pattern is seen as one. Common practice, without a source. */
const OFTEN = 8

/** A stretch at the worst place (L∞) above this is said. Common practice knows no number; twice the smallest is seen at once. */
const STRETCHED = 4

/** What is to be said of a slot's UVs in a word or two. */
function uvState(
  slot: SlotFacts,
  densities: Densities,
): { words: string; tone: '' | 'amber' | 'brick'; why: string } {
  const { uv } = slot
  if (uv.min == null || uv.max == null)
    return { words: labels.noUvs, tone: 'brick', why: labels.mapsCannotBeLaidOnIt }
  const reach = Math.max(...uv.max.map((high, axis) => high - uv.min![axis]!))
  const repeats = densities.repeats(slot)
  if (repeats >= OFTEN)
    return {
      words: labels.repeats(repeats.toFixed(0)),
      tone: 'amber',
      why: labels.onePictureLiesOnItTimes(repeats.toFixed(0)),
    }
  if (!uv.inside) {
    if (reach > 1.5)
      return {
        words: labels.tiles(reach.toFixed(1)),
        tone: '',
        why: labels.itsUvsReachOverSeveralPictures,
      }
    return {
      words: labels.outside,
      tone: 'amber',
      why: labels.itsUvsLeave01A,
    }
  }
  const own = densities.of(slot)
  if (own === 0)
    return {
      words: labels.uvsWithoutArea,
      tone: 'amber',
      why: labels.allItsUvsLieOnA,
    }
  const ratio = densities.usual > 0 ? (own ?? densities.usual) / densities.usual : 1
  const twins = (uv.stacked ?? 0) + (uv.mirrored ?? 0)
  if (uv.overlap > 0.02 && twins < 0.02)
    return {
      words: labels.overlap(Math.round(uv.overlap * 100)),
      tone: 'amber',
      why: labels.islandsLieOnEachOtherWithout,
    }
  if (ratio < 0.4 || ratio > 2.5)
    return {
      words: labels.densityOf(ratio < 1 ? `1/${(1 / ratio).toFixed(0)}` : `${ratio.toFixed(0)}×`),
      tone: 'amber',
      why: labels.itsTexelsAreMuchLargerOr,
    }
  if (uv.linf === null)
    return {
      words: labels.uvsWithoutArea,
      tone: 'amber',
      why: labels.someOfItsFacesHaveNo,
    }
  if ((uv.linf ?? 1) > STRETCHED)
    return {
      words: labels.stretched(uv.linf!.toFixed(uv.linf! < 10 ? 1 : 0)),
      tone: 'amber',
      why: labels.somewhereItsMapsArePulledTimes(readable(uv.linf!)),
    }
  if (twins >= 0.02)
    return {
      words: (uv.mirrored ?? 0) > (uv.stacked ?? 0) ? 'mirrored' : 'stacked',
      tone: '',
      why: labels.twinsShareTheirUvsOnPurpose,
    }
  return { words: labels.wordUnique, tone: '', why: labels.noTwoFacesShareATexel }
}
