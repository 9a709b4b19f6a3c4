import { MoreBox } from '../components/styles'
import { styled } from '@mui/material/styles'
import { Picture } from '../components/Picture'
import { Box, Button, Menu, MenuItem } from '@mui/material'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useMemo, useRef, useState } from 'react'
import type { DragEvent, KeyboardEvent } from 'react'

import { useEdit } from '../api/changes'
import type { BoardMap, Role } from '../api/types'
import { useStatus } from '../api/notices'
import { AskName } from '../components/AskName'
import { ROLE_WORDS, count, nameOfSet, naturally, sizeWords } from '../words'
import { Convert } from './Convert'
import { moved } from './correction'
import { labels } from '../words/maps'

const Doubt = styled('span')({
  position: 'absolute',
  top: -4,
  right: -6,
  display: 'grid',
  placeItems: 'center',
  width: 16,
  height: 16,
  borderRadius: 8,
  font: "600 11px/1 'Atkinson Hyperlegible Next Variable', sans-serif",
  background: 'var(--amberWash)',
  color: 'var(--amber)',
  '&.conflict': {
    background: 'var(--brickWash)',
    color: 'var(--brick)',
  },
  '&.inverted::before': {
    content: "'1−'",
  },
  '&.inverted': {
    background: 'var(--accentWash)',
    color: 'var(--accent)',
  },
})

const Cell = styled('div')({
  position: 'relative',
  display: 'grid',
  justifyItems: 'center',
  alignContent: 'center',
  gap: 2,
  minWidth: 0,
  '& button': {
    position: 'relative',
    padding: 2,
    border: '2px solid transparent',
    borderRadius: 4,
    background: 'none',
    cursor: 'pointer',
    lineHeight: 0,
  },
  '& button[aria-pressed="true"]': {
    borderColor: 'var(--accent)',
  },
  '& .gap': {
    width: 52,
    height: 52,
    border: '1px dashed var(--strong)',
  },
  '& .name': {
    maxWidth: '100%',
    padding: '0 2px',
    fontSize: 10.5,
    color: 'var(--ink2)',
  },
  '&.joined::after': {
    content: "''",
    position: 'absolute',
    left: 0,
    right: 0,
    bottom: 3,
    borderBottom: '2px solid var(--accent)',
  },
  '&.chosen': {
    background: 'var(--accentWash)',
  },
})

const SetBox = styled('div')({
  display: 'flex',
  flexDirection: 'column',
  justifyContent: 'center',
  padding: '0 8px 0 11px',
  minWidth: 0,
})

const BoardHead = styled('div')({
  display: 'grid',
  gridTemplateColumns: '158px repeat(var(--columns), minmax(68px, 1fr))',
  position: 'sticky',
  top: 0,
  zIndex: 2,
  height: 28,
  alignItems: 'center',
  background: 'var(--ground)',
  borderBottom: '1px solid var(--line)',
  fontSize: 11.5,
  color: 'var(--ink2)',
  textAlign: 'center',
})

const BoardRow = styled('div')({
  display: 'grid',
  gridTemplateColumns: '158px repeat(var(--columns), minmax(68px, 1fr))',
  position: 'absolute',
  left: 0,
  right: 0,
  height: 84,
  borderBottom: '1px solid var(--line)',
  borderLeft: '3px solid transparent',
  '&.current': {
    background: 'var(--raised)',
    borderLeftColor: 'var(--accent)',
  },
})

const BoardBox = styled('div')({
  position: 'relative',
})

const COLUMNS: Role[] = [
  'base_color',
  'normal',
  'roughness',
  'metallic',
  'occlusion',
  'height',
  'opacity',
  'emission',
]
const ROW = 84

/** A map's name without the name of its set, however the two are written. */
function withoutSet(full: string, set: string): string {
  const name = full.replace(/^(t|tx|tex|m)_/i, '')
  const plain = set.replaceAll(/[^a-z0-9]/gi, '').toLowerCase()
  let at = 0
  for (let i = 0; i < name.length && at < plain.length; i += 1) {
    const letter = name[i]!.toLowerCase()
    if (letter === plain[at]) at += 1
    else if (/[a-z0-9]/.test(letter)) return full
    if (at === plain.length) return name.slice(i + 1).replace(/^[^a-zA-Z0-9]+/, '') || full
  }
  return full
}

interface Held {
  map: BoardMap
  channels: string
  packed: boolean
  inverted: boolean
}

interface SetRow {
  name: string
  /** Of a set with UDIM tiles, the one that this row shows. */
  tile: number | null
  maps: BoardMap[]
  cells: Map<Role, Held>
  others: Held[]
}

/** Sets against roles. Gloss stands in the roughness column, because that is what it fills. */
function rowsOf(maps: BoardMap[]): SetRow[] {
  const sets = new Map<string, SetRow>()
  for (const map of maps) {
    const key = nameOfSet(map.set, map.tile)
    const row = sets.get(key) ?? {
      name: map.set,
      tile: map.tile,
      maps: [],
      cells: new Map<Role, Held>(),
      others: [],
    }
    sets.set(key, row)
    row.maps.push(map)
    const entries = Object.entries(map.roles)
    if (entries.length === 0)
      row.others.push({ map, channels: 'rgb', packed: false, inverted: false })
    for (const [channels, role] of entries) {
      const held = { map, channels, packed: entries.length > 1, inverted: role === 'gloss' }
      const column: Role = role === 'gloss' ? 'roughness' : role
      if (COLUMNS.includes(column) && !row.cells.has(column)) row.cells.set(column, held)
      else row.others.push(held)
    }
  }
  return [...sets.values()]
}

interface BoardProps {
  maps: BoardMap[]
  rank: (maps: BoardMap[]) => number
  current: string | null
  channel: string
  chosen: string[]
  choose: (name: string, channel: string, add: boolean) => void
  makeMaterial: (set: string, tile: number | null) => void
}

const DRAGGED = 'application/x-ektopos-map'

export function Board({ maps, rank, current, channel, chosen, choose, makeMaterial }: BoardProps) {
  const rows = useMemo(
    () =>
      rowsOf(maps).sort(
        (a, b) =>
          rank(a.maps) - rank(b.maps) ||
          naturally(nameOfSet(a.name, a.tile), nameOfSet(b.name, b.tile)),
      ),
    [maps, rank],
  )
  const edit = useEdit()
  const drop = (event: DragEvent, role: Role, set: string) => {
    const given = event.dataTransfer.getData(DRAGGED)
    if (!given) return
    event.preventDefault()
    const [name, channels] = JSON.parse(given) as [string, string]
    const map = maps.find((entry) => entry.name === name)
    if (map) void edit(moved(map, channels, role, set))
  }
  const scroller = useRef<HTMLDivElement>(null)
  // eslint-disable-next-line react-hooks/incompatible-library -- the virtualiser is meant to be read while rendering
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 4,
  })
  const hasOthers = rows.some((row) => row.others.length > 0)

  return (
    <div
      className="scroll"
      ref={scroller}
      style={{ '--columns': COLUMNS.length + (hasOthers ? 1 : 0) } as never}
      onKeyDown={(event) => moveFocus(event, scroller.current)}
      tabIndex={rows.length === 0 ? 0 : -1}
      aria-label={labels.board}
    >
      <BoardHead>
        <Box component="span" sx={{ textAlign: 'left', paddingLeft: 1.75 }}>
          {labels.set}
        </Box>
        {COLUMNS.map((role) => (
          <span key={role}>{ROLE_WORDS[role]}</span>
        ))}
        {hasOthers && <span>{labels.other}</span>}
      </BoardHead>
      {rows.length === 0 && (
        <Box component="p" className="quiet" sx={{ padding: 1.75 }}>
          {labels.noMapHereChooseAnotherFilter}
        </Box>
      )}
      <BoardBox style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((item) => {
          const row = rows[item.index]!
          const isCurrent = row.maps.some((map) => map.name === current)
          return (
            <BoardRow
              key={nameOfSet(row.name, row.tile)}
              className={`board-row ${isCurrent ? 'current' : ''}`}
              style={{ transform: `translateY(${item.start}px)` }}
            >
              <SetHead
                row={row}
                sets={rows.map((other) => other.name)}
                chosen={chosen}
                makeMaterial={makeMaterial}
                showAction={isCurrent}
              />
              {COLUMNS.map((role) => (
                <CellView
                  key={role}
                  held={row.cells.get(role)}
                  row={item.index}
                  current={current}
                  channel={channel}
                  chosen={chosen}
                  choose={choose}
                  role={role}
                  drop={(event) => drop(event, role, row.name)}
                />
              ))}
              {hasOthers && (
                <CellView
                  held={row.others[0]}
                  row={item.index}
                  current={current}
                  channel={channel}
                  chosen={chosen}
                  choose={choose}
                  role="unknown"
                  more={row.others.length - 1}
                  drop={(event) => drop(event, 'unknown', row.name)}
                />
              )}
            </BoardRow>
          )
        })}
      </BoardBox>
      {rows.length > 0 && (
        <Box component="p" className="small" sx={{ padding: '12px 14px' }}>
          {labels.anUnderlineJoinsTheChannelsOf}
        </Box>
      )}
    </div>
  )
}

/** Arrow keys go from cell to cell: up and down to the nearest of the next row. */
function moveFocus(event: KeyboardEvent, scroller: HTMLElement | null) {
  const steps: Record<string, [number, number]> = {
    ArrowLeft: [0, -1],
    ArrowRight: [0, 1],
    ArrowUp: [-1, 0],
    ArrowDown: [1, 0],
  }
  const step = steps[event.key]
  if (!step) return
  event.preventDefault()
  const cells = [...(scroller?.querySelectorAll<HTMLElement>('[data-cell]') ?? [])]
  const here = cells.indexOf(document.activeElement as HTMLElement)
  if (step[1] !== 0) cells[here + step[1]]?.focus()
  else {
    const x = cells[here]?.getBoundingClientRect().x ?? 0
    const row = Number(cells[here]?.dataset.row) + step[0]
    const near = cells.filter((cell) => Number(cell.dataset.row) === row)
    near.sort(
      (a, b) =>
        Math.abs(a.getBoundingClientRect().x - x) - Math.abs(b.getBoundingClientRect().x - x),
    )
    near[0]?.focus()
  }
}

function SetHead({
  row,
  sets,
  chosen,
  makeMaterial,
  showAction,
}: {
  row: SetRow
  sets: string[]
  chosen: string[]
  makeMaterial: (set: string, tile: number | null) => void
  showAction: boolean
}) {
  const edit = useEdit()
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const [asking, setAsking] = useState<'rename' | 'split' | 'convert' | null>(null)
  const largest = row.maps.reduce((a, b) => (b.width > a.width ? b : a))
  const part = chosen.filter((name) => row.maps.some((map) => map.name === name))
  const close = (next: typeof asking = null) => {
    setAnchor(null)
    setAsking(next)
  }
  return (
    <SetBox className="set" data-menu>
      <Box component="span" className="row" sx={{ gap: 0.25 }}>
        <b className="ellipsis" title={row.name}>
          {row.name}
        </b>
        <MoreBox
          className="plain"
          aria-haspopup="menu"
          aria-label={labels.moreForTheSet(row.name, row.tile ? labels.tile(row.tile) : '')}
          onClick={(event) => setAnchor(event.currentTarget)}
        >
          ⋯
        </MoreBox>
      </Box>
      <span className="small">
        {row.tile && labels.tileOf(row.tile)}
        {sizeWords(largest.width, largest.height)} · {count(row.maps.length, 'file')}
      </span>
      {showAction && (
        <Button
          sx={{ mt: 0.5, alignSelf: 'flex-start', minHeight: 24, fontSize: 12, padding: '0 6px' }}
          onClick={() => makeMaterial(row.name, row.tile)}
        >
          {labels.makeMaterial}
        </Button>
      )}
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => close()}>
        <MenuItem
          onClick={() => {
            close()
            makeMaterial(row.name, row.tile)
          }}
        >
          {labels.makeMaterial}
        </MenuItem>
        <MenuItem onClick={() => close('rename')}>{labels.renameTheSet}</MenuItem>
        {part.length > 0 && part.length < row.maps.length && (
          <MenuItem onClick={() => close('split')}>
            {labels.splitOffThe(count(part.length, labels.chosenMap))}
          </MenuItem>
        )}
        {sets
          .filter((other) => other !== row.name)
          .slice(0, 12)
          .map((other) => (
            <MenuItem
              key={other}
              onClick={() => {
                close()
                void edit({ kind: 'rename-set', set: row.name, name: other })
              }}
            >
              {labels.mergeInto(other)}
            </MenuItem>
          ))}
        {row.maps.some((map) => Object.values(map.roles).includes('specular')) && (
          <MenuItem onClick={() => close('convert')}>
            {labels.convertFromTheSpecularWorkflow}
          </MenuItem>
        )}
        <MenuItem
          onClick={() => {
            close()
            void edit({ kind: 'set-map', maps: row.maps.map((map) => map.name) })
          }}
        >
          {labels.allItsMapsAreRight}
        </MenuItem>
      </Menu>
      {asking === 'rename' && (
        <AskName
          title={labels.renameTheSetTitle}
          label={labels.setName}
          initial={row.name}
          close={() => close()}
          done={(name) => void edit({ kind: 'rename-set', set: row.name, name })}
        />
      )}
      {asking === 'convert' && <Convert set={row.name} close={() => close()} />}
      {asking === 'split' && (
        <AskName
          title={labels.splitTheSet}
          label={labels.nameOfTheNewSet}
          initial={`${row.name}_2`}
          close={() => close()}
          done={(set) => void edit({ kind: 'set-map', maps: part, set })}
        />
      )}
    </SetBox>
  )
}

interface CellProps {
  held: Held | undefined
  row: number
  current: string | null
  channel: string
  chosen: string[]
  choose: BoardProps['choose']
  role: Role
  more?: number
  drop: (event: DragEvent) => void
}

function CellView({
  held,
  row,
  current,
  channel,
  chosen,
  choose,
  role,
  more = 0,
  drop,
}: CellProps) {
  const show = useStatus((state) => state.show)
  const target = {
    onDragOver: (event: DragEvent) => {
      if (event.dataTransfer.types.includes(DRAGGED)) event.preventDefault()
    },
    onDrop: drop,
  }
  if (!held)
    return (
      <Cell {...target}>
        <div className="gap" />
        <span className="name mono">&nbsp;</span>
      </Cell>
    )
  const { map } = held
  const { view, label, words } = cellWords(held, role)
  const isChosen = chosen.includes(map.name)
  const isCurrent = map.name === current && (view === channel || !held.packed)
  return (
    <Cell className={`cell ${held.packed ? 'joined' : ''} ${isChosen ? 'chosen' : ''}`} {...target}>
      <button
        data-cell
        data-row={row}
        aria-pressed={isCurrent || isChosen}
        aria-label={words}
        draggable
        onDragStart={(event) =>
          event.dataTransfer.setData(DRAGGED, JSON.stringify([map.name, held.channels]))
        }
        onClick={(event) =>
          choose(map.name, view, event.ctrlKey || event.metaKey || event.shiftKey)
        }
        onMouseEnter={() =>
          show(labels.bit(map.file, sizeWords(map.width, map.height), map.bits, map.encoding))
        }
      >
        <CellPicture held={held} view={view} />
      </button>
      <span className="name mono ellipsis" title={map.name}>
        {label}
        {more > 0 && ` +${more}`}
      </span>
    </Cell>
  )
}

/** What a cell shows: the channel it looks at, its short name, and what it says aloud. */
function cellWords({ map, channels, packed, inverted }: Held, role: Role) {
  const view = channels.length === 1 && map.channels > 1 ? channels : 'rgb'
  const short = withoutSet(map.name, map.set)
  const part = packed && view !== 'rgb' ? ` ${view.toUpperCase()}` : ''
  const green = role === 'normal' && map.normal_y ? (map.normal_y === '-' ? ' −Y' : ' +Y') : ''
  const remark =
    map.state === 'conflict'
      ? labels.nameAndPixelsDisagree
      : map.state === 'unsure'
        ? labels.unsureAfter
        : inverted
          ? labels.glossFeedsRoughnessInverted
          : ''
  return {
    view,
    label: short + part + green,
    words: `${map.name}: ${ROLE_WORDS[inverted ? 'gloss' : role].toLowerCase()}${remark}`,
  }
}

const DOUBTS: Partial<Record<BoardMap['state'], string>> = { conflict: '!', unsure: '?' }

function CellPicture({ held: { map, inverted }, view }: { held: Held; view: string }) {
  const doubt = DOUBTS[map.state]
  return (
    <>
      {map.sha256 && map.width > 0 ? (
        <Picture
          className="thumb"
          src={`/api/map-pictures/${map.sha256}/${view}/128.png`}
          width={50}
          height={50}
          alt=""
          loading="lazy"
          draggable={false}
        />
      ) : (
        <Box
          component="span"
          className="thumb"
          sx={{ width: 50, height: 50, display: 'grid', placeItems: 'center', fontSize: 11 }}
        >
          {map.state === 'measuring' ? '…' : labels.wordGone}
        </Box>
      )}
      {doubt ? (
        <Doubt className={`${doubt === '!' ? 'conflict' : ''}`} aria-hidden>
          {doubt}
        </Doubt>
      ) : (
        inverted && (
          <Doubt className="inverted" title={labels.glossFeedsRoughnessAs1Gloss} aria-hidden />
        )
      )}
    </>
  )
}
