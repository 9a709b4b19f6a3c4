import { styled } from '@mui/material/styles'
import { Box } from '@mui/material'
import { useState } from 'react'

import type { SlotFacts } from '../api/types'
import { naturally } from '../words'
import { labels } from '../words/meshes'
import type { RowProps } from './SlotRow'
import { SlotRow } from './SlotRow'
import { useDensities } from './density'
import { uvState } from './uvState'

const SlotsBox = styled('table')({
  '& td': {
    height: 50,
    whiteSpace: 'nowrap',
    padding: '4px 6px',
  },
  '& th': {
    padding: '0 6px',
  },
  // As wide as what the others leave, whatever stands in it.
  '& td.takes-rest': {
    width: '100%',
    maxWidth: 0,
    minWidth: 120,
  },
  '& th .unit': {
    fontWeight: 400,
    color: 'var(--ink3)',
  },
  '& tr.current': {
    background: 'var(--raised)',
    boxShadow: 'inset 3px 0 var(--accent)',
  },
  '& tr.over-drop': {
    background: 'var(--accentWash)',
  },
  '& th button': {
    color: 'inherit',
  },
})

type Column = 'slot' | 'triangles' | 'density' | 'uvs' | 'material' | 'done'
const COLUMNS: { key: Column; words: string }[] = [
  { key: 'slot', words: labels.slot },
  { key: 'triangles', words: labels.triangles },
  { key: 'density', words: labels.density },
  { key: 'uvs', words: labels.wordUVs },
  { key: 'material', words: labels.material },
  { key: 'done', words: labels.doneTitle },
]

interface SlotTableProps extends Pick<
  RowProps,
  'mesh' | 'chosen' | 'hover' | 'choose' | 'toggleDone' | 'actions'
> {
  /** The slot that is marked, as under the pointer. */
  lit: string | null
  hideDone: boolean
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
      <Box component="p" className="quiet" sx={{ padding: 1.75 }}>
        {labels.theMeshsFileIsMissingOr}
      </Box>
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
    <SlotsBox className="grid slots">
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
            <Box component="td" colSpan={8} className="quiet" sx={{ padding: 1.75 }}>
              {labels.everySlotIsDone}
            </Box>
          </tr>
        )}
      </tbody>
    </SlotsBox>
  )
}

const compared = (a: string | number, b: string | number) =>
  typeof a === 'number' && typeof b === 'number' ? a - b : naturally(String(a), String(b))
