import './maps.css'

import { TextField } from '@mui/material'
import { useEffect, useMemo, useState } from 'react'
import { useNavigate, useParams } from 'react-router'

import { useBoard, useEdit, useProjectId } from '../api/queries'
import type { BoardMap } from '../api/types'
import { PickFiles } from '../layout/PickFiles'
import { useStatus } from '../layout/notices'
import { bytes, count } from '../words'
import { Board } from './Board'
import { Reader } from './Reader'

type Filter = 'all' | 'unsure' | 'conflict' | 'unused'

const FILTERS: { key: Filter; words: string; tone: string; holds: (map: BoardMap) => boolean }[] = [
  { key: 'all', words: 'All', tone: '', holds: () => true },
  { key: 'unsure', words: '? Unsure', tone: 'amber', holds: (map) => map.state === 'unsure' },
  { key: 'conflict', words: '! Conflicts', tone: 'brick', holds: (map) => map.state === 'conflict' },
  { key: 'unused', words: 'Unused', tone: '', holds: (map) => map.used_by.length === 0 },
]

/** Every map: the coverage board on the left, the reader on the right. */
export function MapsScreen() {
  const { name } = useParams()
  const id = useProjectId()
  const navigate = useNavigate()
  const edit = useEdit()
  const board = useBoard()
  const [filter, setFilter] = useState<Filter>('all')
  const [search, setSearch] = useState('')
  const [channel, setChannel] = useState('rgb')
  const show = useStatus((state) => state.show)
  const maps = useMemo(() => board.data ?? [], [board.data])
  const holds = FILTERS.find((entry) => entry.key === filter)!.holds
  const words = search.trim().toLowerCase()
  const shown = useMemo(
    () => maps.filter((map) => holds(map) && (!words || `${map.set} ${map.name} ${Object.values(map.roles).join(' ')}`.toLowerCase().includes(words))),
    [holds, maps, words],
  )
  const total = maps.reduce((sum, map) => sum + map.bytes, 0)
  const sets = new Set(maps.map((map) => map.set)).size
  useEffect(() => {
    show(maps.length ? `${count(maps.length, 'map')} in ${count(sets, 'set')} · ${bytes(total)}` : '')
    return () => show('')
  }, [maps.length, sets, show, total])

  const choose = (chosen: string, letter = 'rgb') => {
    setChannel(letter)
    void navigate(`/projects/${id}/maps/${encodeURIComponent(chosen)}`, { replace: name !== undefined })
  }
  const makeMaterial = async (set: string) => {
    const before = new Set(Object.keys((await edit({ kind: 'material-from-set', set }))?.document.materials ?? {}))
    const made = [...before].filter((material) => material === set || material.startsWith(`${set}_`)).at(-1)
    if (made) void navigate(`/projects/${id}/materials/${encodeURIComponent(made)}`)
  }
  const current = name ?? shown[0]?.name ?? null

  if (board.data && maps.length === 0) {
    return (
      <div className="empty">
        <h1>No maps yet</h1>
        <p>Drop a folder of texture maps and meshes anywhere on this window. Names may be messy: each map is looked at, and you see why it is taken for what it is.</p>
        <PickFiles contained />
        <p className="small">PNG, JPEG, TGA, TIFF, EXR, WebP, Radiance HDR · GLB, glTF, OBJ</p>
      </div>
    )
  }
  return (
    <div className="screen maps">
      <section className="pane" aria-label="Coverage board">
        <div className="bar">
          <PickFiles />
          {FILTERS.map((entry) => (
            <button key={entry.key} className={`filter ${entry.tone}`} aria-pressed={filter === entry.key} onClick={() => setFilter(entry.key)}>
              {entry.words} {maps.filter(entry.holds).length}
            </button>
          ))}
          <span className="grow" />
          <TextField placeholder="Set, map or role" aria-label="Search the board" value={search} onChange={(event) => setSearch(event.target.value)} sx={{ width: 170, '& input': { padding: '4px 8px' } }} slotProps={{ htmlInput: { 'aria-label': 'Search the board' } }} />
        </div>
        <Board maps={shown} current={current} channel={channel} choose={choose} makeMaterial={(set) => void makeMaterial(set)} />
      </section>
      <Reader name={current} channel={channel} setChannel={setChannel} />
    </div>
  )
}
