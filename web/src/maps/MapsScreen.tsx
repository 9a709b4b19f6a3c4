import { styled } from '@mui/material/styles'

import { Button, MenuItem, TextField } from '@mui/material'
import { useEffect, useMemo, useState } from 'react'
import { useNavigate, useParams } from 'react-router'

import { useEdit } from '../api/changes'
import { FirstSteps } from '../components/FirstSteps'
import { useRemembered } from '../components/remembered'
import { JobProgress } from '../components/JobProgress'
import { useBoard, useProjectId } from '../api/queries'
import type { BoardMap, Document } from '../api/types'
import { PickFiles } from '../components/PickFiles'
import { useNotices, useStatus } from '../api/notices'
import { bytes, count, nameOfSet } from '../words'
import { Board } from './Board'
import { ChosenBar } from './ChosenBar'
import { Contradictions } from './Contradictions'
import { GroupSuggestions } from './GroupSuggestions'
import { NamingRules } from './NamingRules'
import { Reader } from './Reader'
import { FilterButton } from '../components/styles'
import { labels } from '../words/maps'

const MapsBox = styled('div')({
  gridTemplateColumns: 'minmax(0, 1fr) 440px',
})

type Filter = 'all' | 'unsure' | 'conflict' | 'unused'

const FILTERS: { key: Filter; words: string; tone: string; holds: (map: BoardMap) => boolean }[] = [
  { key: 'all', words: labels.all, tone: '', holds: () => true },
  { key: 'unsure', words: labels.uncertain, tone: 'amber', holds: (map) => map.state === 'unsure' },
  {
    key: 'conflict',
    words: labels.conflicts,
    tone: 'brick',
    holds: (map) => map.state === 'conflict',
  },
  { key: 'unused', words: labels.unused, tone: '', holds: (map) => map.used_by.length === 0 },
]

type Sort = 'set' | 'doubts' | 'size'

const WEIGHT = { conflict: 0, missing: 1, unsure: 2, measuring: 3, sure: 4 }

/** Orders of the board: each compares what is most telling in two sets. */
const SORTS: { key: Sort; words: string; rank: (maps: BoardMap[]) => number }[] = [
  { key: 'set', words: labels.byName, rank: () => 0 },
  {
    key: 'doubts',
    words: labels.uncertainFirst,
    rank: (maps) => Math.min(...maps.map((map) => WEIGHT[map.state])),
  },
  {
    key: 'size',
    words: labels.largestFirst,
    rank: (maps) => -Math.max(...maps.map((map) => map.width * map.height)),
  },
]

function setsWithoutMaterial(maps: BoardMap[]) {
  const sets = new Map<string, BoardMap[]>()
  for (const map of maps) {
    const key = JSON.stringify([map.set, map.tile ?? null])
    sets.set(key, [...(sets.get(key) ?? []), map])
  }
  return [...sets]
    .filter(
      ([, members]) =>
        members.every((map) => map.used_by.length === 0) &&
        members.some((map) => Object.values(map.roles).some((role) => role !== 'unknown')),
    )
    .map(([key, members]) => {
      const [set, tile] = JSON.parse(key) as [string, number | null]
      const unsure = members.some((map) => map.state === 'unsure' || map.state === 'conflict')
      return { edit: { kind: 'material-from-set' as const, set, tile }, unsure }
    })
}

/** Maps of sets that have materials now and still feed none of them. */
function unfed(document: Document, maps: BoardMap[], made: { set: string }[]): string[] {
  const fed = new Set(
    Object.values(document.materials ?? {}).flatMap((material) =>
      Object.values(material.inputs ?? {}).map((feed) => feed?.map),
    ),
  )
  const sets = new Set(made.map(({ set }) => set))
  return maps.filter((map) => sets.has(map.set) && !fed.has(map.name)).map((map) => map.name)
}

/** Makes a material of each set that has none, and says what was left out. */
function MakeAll({ maps }: { maps: BoardMap[] }) {
  const edit = useEdit()
  const say = useNotices((state) => state.say)
  // Sets of which nothing feeds anything yet, and of which something could.
  const without = useMemo(() => setsWithoutMaterial(maps), [maps])
  const bare = without.filter(({ unsure }) => !unsure).map((one) => one.edit)
  const unsure = without.filter((one) => one.unsure).map((one) => one.edit.set)
  const leftOut =
    unsure.length > 0
      ? labels.leftOutBecauseWhatAMap(
          count(unsure.length, 'set'),
          unsure.slice(0, 6).join(', '),
          unsure.length > 6 ? ', …' : '',
        )
      : ''
  const makeAll = async () => {
    const after = await edit(...bare)
    const left = after ? unfed(after.document, maps, bare) : []
    const nothing =
      left.length > 0
        ? labels.ofTheirSetsNothingYet(
            count(left.length, 'map'),
            left.length === 1 ? 'feeds' : 'feed',
            left.slice(0, 6).join(', '),
            left.length > 6 ? ', …' : '',
          )
        : ''
    if (after && (nothing || leftOut))
      say([labels.made(count(bare.length, 'material')), nothing, leftOut].filter(Boolean).join(' '))
  }
  if (bare.length < 2) return null
  return (
    <Button
      title={labels.oneOfEachSetThatFeeds(
        bare.map(({ set }) => set).join(', '),
        leftOut ? `\n${leftOut}` : '',
      )}
      onClick={() => void makeAll()}
    >
      {labels.make(count(bare.length, 'material'))}
    </Button>
  )
}

function SortAndSearch({
  sort,
  setSort,
  search,
  setSearch,
  found,
}: {
  sort: Sort
  setSort: (sort: Sort) => void
  search: string
  setSearch: (words: string) => void
  /** Take the first map that is found. */
  found: () => void
}) {
  return (
    <>
      <TextField
        select
        value={sort}
        onChange={(event) => setSort(event.target.value as Sort)}
        sx={{ '& .MuiSelect-select': { padding: '4px 8px' } }}
        slotProps={{ select: { SelectDisplayProps: { 'aria-label': labels.orderOfTheBoard } } }}
      >
        {SORTS.map((entry) => (
          <MenuItem key={entry.key} value={entry.key}>
            {entry.words}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        placeholder={labels.setMapOrRole}
        value={search}
        onChange={(event) => setSearch(event.target.value)}
        onKeyDown={(event) => {
          if (event.key === 'Enter') found()
          if (event.key === 'Escape') setSearch('')
        }}
        sx={{ width: 130, '& input': { padding: '4px 8px' } }}
        slotProps={{ htmlInput: { 'aria-label': labels.searchTheBoard } }}
      />
    </>
  )
}

/** Every map: the coverage board on the left, the reader on the right. */
export function MapsScreen() {
  const { name } = useParams()
  const id = useProjectId()
  const navigate = useNavigate()
  const edit = useEdit()
  const board = useBoard()
  const [filter, setFilter] = useRemembered<Filter>('maps filter', 'all')
  const [search, setSearch] = useState('')
  const [sort, setSort] = useRemembered<Sort>('maps sort', 'set')
  const [channel, setChannel] = useRemembered<string>('maps channel', 'rgb')
  const [chosen, setChosen] = useState<string[]>([])
  const show = useStatus((state) => state.show)
  const maps = useMemo(() => board.data ?? [], [board.data])
  const holds = FILTERS.find((entry) => entry.key === filter)!.holds
  const words = search.trim().toLowerCase()
  const shown = useMemo(
    () =>
      maps.filter(
        (map) =>
          holds(map) &&
          (!words ||
            `${map.set} ${map.name} ${Object.values(map.roles).join(' ')}`
              .toLowerCase()
              .includes(words)),
      ),
    [holds, maps, words],
  )
  const rank = SORTS.find((entry) => entry.key === sort)!.rank
  const several = chosen.filter((one) => maps.some((map) => map.name === one))
  const total = maps.reduce((sum, map) => sum + map.bytes, 0)
  const sets = new Set(maps.map((map) => map.set)).size
  useEffect(() => {
    show(maps.length ? labels.in(count(maps.length, 'map'), count(sets, 'set'), bytes(total)) : '')
    return () => show('')
  }, [maps.length, sets, show, total])

  const choose = (chosen: string, letter = 'rgb') => {
    setChannel(letter)
    void navigate(`/projects/${id}/maps/${encodeURIComponent(chosen)}`, {
      replace: name !== undefined,
    })
  }
  const makeMaterial = async (set: string, tile: number | null) => {
    const after = await edit({ kind: 'material-from-set', set, tile })
    const name = nameOfSet(set, tile)
    const made = Object.keys(after?.document.materials ?? {})
      .filter((material) => material === name || material.startsWith(`${name}_`))
      .at(-1)
    if (made) void navigate(`/projects/${id}/materials/${encodeURIComponent(made)}`)
  }
  const current = name ?? shown[0]?.name ?? null
  if (board.data && maps.length === 0) {
    return (
      <div className="empty">
        <h1>{labels.noMapsYet}</h1>
        <p>{labels.dropAFolderOfTextureMaps}</p>
        <PickFiles contained />
        <FirstSteps />
        <p className="small">{labels.pngJpegTgaTiffExrWebp}</p>
      </div>
    )
  }
  return (
    <MapsBox className="screen maps">
      <section className="pane" aria-label={labels.coverageBoard}>
        <h1 className="sr">{labels.maps}</h1>
        <div className="bar">
          <PickFiles />
          {FILTERS.map((entry) => (
            <FilterButton
              key={entry.key}
              className={entry.tone}
              aria-pressed={filter === entry.key}
              onClick={() => setFilter(entry.key)}
            >
              {entry.words} {maps.filter(entry.holds).length}
            </FilterButton>
          ))}
          <span className="grow" />
          <MakeAll maps={maps} />
          <NamingRules />
          <SortAndSearch
            sort={sort}
            setSort={setSort}
            search={search}
            setSearch={setSearch}
            found={() => shown[0] && choose(shown[0].name)}
          />
        </div>
        <GroupSuggestions maps={maps} />
        <Contradictions />
        <JobProgress kinds={['convert']} />
        {several.length > 1 && (
          <ChosenBar names={several} maps={maps} clear={() => setChosen([])} />
        )}
        <Board
          maps={shown}
          rank={rank}
          current={current}
          channel={channel}
          chosen={several}
          makeMaterial={(set, tile) => void makeMaterial(set, tile)}
          choose={(map, letter, add) => {
            setChosen(
              add
                ? several.includes(map)
                  ? several.filter((one) => one !== map)
                  : [...new Set([...(several.length || !current ? several : [current]), map])]
                : [],
            )
            choose(map, letter)
          }}
        />
      </section>
      <Reader name={current} channel={channel} setChannel={setChannel} several={several} />
    </MapsBox>
  )
}
