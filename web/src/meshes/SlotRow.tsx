import { MoreBox } from '../components/styles'
import { styled } from '@mui/material/styles'
import { Box, Checkbox, Menu, MenuItem, Select } from '@mui/material'
import { useEffect, useState } from 'react'
import type { DragEvent, MouseEvent } from 'react'

import { useEdit } from '../api/changes'
import { useStatus } from '../api/notices'
import { useLooks, useProject } from '../api/queries'
import type { MeshFacts, SlotFacts } from '../api/types'
import { Picture } from '../components/Picture'
import { NoteMark } from '../team/NoteMark'
import { useNoting } from '../team/notes'
import { SLOT_TINTS } from '../theme'
import { count, naturally, readable } from '../words'
import { labels } from '../words/meshes'
import { MATERIAL } from './MaterialStrip'
import { SlotName } from './SlotName'
import type { Densities } from './density'
import { isNameless, oldName } from './measures'
import { uvState } from './uvState'

const Badge = styled('span')({
  display: 'inline-grid',
  placeItems: 'center',
  width: 16,
  height: 16,
  borderRadius: 2,
  color: 'white',
  fontSize: 10.5,
  fontWeight: 600,
  textShadow: '0 0 2px rgb(0 0 0 / 80%)',
})

export interface RowProps {
  mesh: MeshFacts
  chosen: string[]
  hover: (slot: string | null) => void
  choose: (slot: string, more: boolean) => void
  toggleDone: (slot: string) => void
  actions: { words: string; run: (slot: string) => void }[]
  slot: SlotFacts
  number: number
  lit: boolean
  densities: Densities
  naming: boolean
  setNaming: (slot: string | null) => void
  /** The name that was typed, and by how many rows naming goes on. */
  rename: (name: string, next: -1 | 0 | 1) => void
}

/** A slot: its name, its size, how its UVs are, what it wears, whether it is done. */
export function SlotRow({
  mesh,
  slot,
  number,
  chosen,
  lit,
  hover: onHover,
  choose,
  toggleDone,
  actions,
  densities,
  naming,
  setNaming,
  rename,
}: RowProps) {
  const edit = useEdit()
  const current = chosen.includes(slot.name)
  const assign = (material: string | null) =>
    void edit({ kind: 'assign', mesh: mesh.name, slots: current ? chosen : [slot.name], material })
  const state = uvState(slot, densities)
  const { over, drop } = useMaterialDrop(assign)
  const hover = useSlotFacts(slot, onHover)
  return (
    <tr
      data-menu
      className={`${current || lit ? 'current' : ''} ${over ? 'over-drop' : ''}`}
      {...drop}
      onMouseEnter={() => hover(slot.name)}
      onMouseLeave={() => hover(null)}
    >
      <Box component="td" sx={{ width: 30 }}>
        <Badge style={{ background: SLOT_TINTS[number % SLOT_TINTS.length] }}>{number + 1}</Badge>
      </Box>
      <td>
        <Name {...{ slot, current, naming, setNaming, rename }} choose={choose} hover={onHover} />
        <NoteMark at={{ kind: 'slot', place: [mesh.name, slot.name] }} />
        <NameRemark mesh={mesh} slot={slot.name} />
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
        <Wears mesh={mesh} slot={slot.name} assign={assign} left={() => onHover(null)} />
      </td>
      <td>
        <Checkbox
          checked={mesh.done.includes(slot.name)}
          onChange={() => toggleDone(slot.name)}
          slotProps={{ input: { 'aria-label': labels.isDone(slot.name) } }}
        />
      </td>
      <Box component="td" sx={{ width: 24, paddingLeft: 0 }}>
        <More mesh={mesh} slot={slot.name} actions={actions} left={() => onHover(null)} />
      </Box>
    </tr>
  )
}

/** Materials are dropped on a row; it is marked while one is over it. */
function useMaterialDrop(assign: (material: string) => void) {
  const [over, setOver] = useState(false)
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
  return { over, drop }
}

/** Tells the status line of the slot under the pointer. */
function useSlotFacts(slot: SlotFacts, hover: RowProps['hover']) {
  const show = useStatus((state) => state.show)
  const [under, setUnder] = useState(false)
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
  return (name: string | null) => {
    hover(name)
    setUnder(name !== null)
  }
}

interface NameProps extends Pick<
  RowProps,
  'slot' | 'choose' | 'hover' | 'naming' | 'setNaming' | 'rename'
> {
  current: boolean
}

function Name({ slot, choose, hover, current, naming, setNaming, rename }: NameProps) {
  const pick = (event: MouseEvent) =>
    choose(slot.name, event.ctrlKey || event.metaKey || event.shiftKey)
  if (naming) return <SlotName name={slot.name} done={rename} />
  return (
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
  )
}

/** What a slot was called in the file, or that its name says nothing. */
function NameRemark({ mesh, slot }: { mesh: MeshFacts; slot: string }) {
  const was = oldName(mesh, slot)
  if (was) return <div className="small">{labels.was(was)}</div>
  return isNameless(slot) ? <div className="small">{labels.noRealName}</div> : null
}

interface WearsProps {
  mesh: MeshFacts
  slot: string
  assign: (material: string | null) => void
  /** The pointer is no longer on the row. */
  left: () => void
}

function Wears({ mesh, slot, assign, left }: WearsProps) {
  const looks = useLooks().data ?? {}
  const materials = Object.keys(useProject().data?.document.materials ?? {}).sort(naturally)
  const assigned = mesh.assigned[slot] ?? ''
  const key = looks[assigned]?.picture
  return (
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
        <Box
          component="span"
          className="thumb"
          sx={{ width: 28, height: 28, background: 'none', borderStyle: 'dashed' }}
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
        SelectDisplayProps={{ 'aria-label': labels.materialOf(slot) }}
        // The list belongs to the row for the browser's events, and closes under the pointer: nobody says that it left.
        onClose={left}
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
  )
}

interface MoreProps extends Pick<RowProps, 'mesh' | 'actions'> {
  slot: string
  left: () => void
}

function More({ mesh, slot, actions, left }: MoreProps) {
  const note = useNoting((state) => state.open)
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  return (
    <>
      <MoreBox
        className="plain"
        aria-haspopup="menu"
        aria-label={labels.moreFor(slot)}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        ⋯
      </MoreBox>
      <Menu
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => {
          setAnchor(null)
          left()
        }}
      >
        {actions.map(({ words, run }) => (
          <MenuItem
            key={words}
            onClick={() => {
              setAnchor(null)
              run(slot)
            }}
          >
            {words}
          </MenuItem>
        ))}
        <MenuItem
          onClick={() => {
            setAnchor(null)
            note({ kind: 'slot', place: [mesh.name, slot] })
          }}
        >
          {labels.addNote}
        </MenuItem>
      </Menu>
    </>
  )
}
