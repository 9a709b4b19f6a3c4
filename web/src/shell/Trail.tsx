import { styled } from '@mui/material/styles'
import { NavLink } from 'react-router'

import { usePackages } from '../api/jobs'
import { useBoard, useFindings, useMeshes, useOutdatedPackages } from '../api/queries'
import type { MeshFacts, Project } from '../api/types'
import { isOpen } from '../checks/groups'
import { useAllRemembered } from '../components/remembered'
import { stationOf, useNotes } from '../team/notes'
import { count } from '../words'
import { labels } from '../words/shell'
import { nextStep } from './next'

const TrailBox = styled('ol')({
  display: 'flex',
  alignItems: 'stretch',
  flex: 1,
  minWidth: 0,
  listStyle: 'none',
  margin: 0,
  padding: 0,
  // Stations keep their places whatever their words say: a click in between must not miss.
  '& li': {
    display: 'flex',
    alignItems: 'center',
    flex: '0 1 92px',
    minWidth: 44,
  },
  '& li:first-child': {
    flexBasis: 84,
  },
  '& li:nth-child(2)': {
    flexBasis: 108,
  },
  '& li:nth-child(3)': {
    flexBasis: 140,
  },
  '& li + li::before': {
    content: "''",
    flex: 'none',
    width: 8,
    borderTop: '1px solid var(--strong)',
    margin: '0 2px',
  },
  '& .small': {
    overflow: 'hidden',
    textOverflow: 'ellipsis',
  },
  '& a': {
    display: 'flex',
    flex: 1,
    flexDirection: 'column',
    justifyContent: 'center',
    height: '100%',
    minWidth: 0,
    padding: '0 4px',
    color: 'var(--ink)',
    textDecoration: 'none',
    borderBottom: '3px solid transparent',
    borderTop: '3px solid transparent',
    whiteSpace: 'nowrap',
    lineHeight: 1.3,
  },
  '& a > span:first-child': {
    display: 'flex',
    alignItems: 'baseline',
  },
  '& a b': {
    minWidth: 0,
    overflow: 'hidden',
    textOverflow: 'ellipsis',
    fontWeight: 600,
  },
  '& a[aria-current="page"]': {
    borderBottomColor: 'var(--accent)',
  },
  '& .next': {
    marginLeft: 5,
    padding: '0 4px',
    borderRadius: 3,
    background: 'var(--accentWash)',
    color: 'var(--accent)',
    fontSize: 11,
  },
  '@media (max-width: 1179px)': {
    '& li + li::before': {
      display: 'none',
    },
  },
})

interface Station {
  to: string
  name: string
  /** How far it is. */
  words: string
  /** What waits there for a person; empty where nothing does. */
  mark: string
}

const sizeOf = (part: object | undefined) => Object.keys(part ?? {}).length

/** The stations in the order of the job, and the one to go to next. */
export function Trail({ project }: { project: Project }) {
  const { stations, next } = useStations(project)
  const notes = useNotes().filter((note) => !note.closed)
  const left = useAllRemembered((state) => state.projects[project.id])
  return (
    <TrailBox className="trail">
      {stations.map((station) => {
        const here = notes.filter((note) => stationOf(note) === station.to).length
        const why = next?.to === station.to ? next.why : null
        return (
          <li key={station.to}>
            <NavLink to={String(left?.[`path ${station.to}`] ?? station.to)}>
              <span>
                <b>{station.name}</b>
                {why && (
                  <span className="next" title={why}>
                    {labels.next}
                    <span className="sr">: {why}</span>
                  </span>
                )}
              </span>
              <Remark station={station} notes={here} />
            </NavLink>
          </li>
        )
      })}
    </TrailBox>
  )
}

function Remark({ station: { words, mark }, notes }: { station: Station; notes: number }) {
  return (
    <span className="small">
      {words}
      {mark && (
        <span className="amber">
          {words && ' · '}△ {mark}
        </span>
      )}
      {notes > 0 && (
        <span className="amber">
          {(words || mark) && ' · '}
          {count(notes, 'note')}
        </span>
      )}
    </span>
  )
}

function useStations(project: Project) {
  const { document } = project
  const maps = useMapStation(project)
  const meshes = useMeshStation(project)
  const checks = useCheckStation(project)
  const exported = useExportStation()
  const placed = sizeOf(document.scene?.items)
  const materials = sizeOf(document.materials)
  const stations: Station[] = [
    maps.station,
    { to: 'materials', name: labels.materials, words: `${materials}`, mark: '' },
    meshes.station,
    {
      to: 'scene',
      name: labels.scene,
      words: placed ? labels.placed(placed) : '',
      mark: '',
    },
    checks.station,
    exported.station,
  ]
  const next = nextStep({ materials, ...maps.at, ...meshes.at, ...checks.at, ...exported.at })
  return { stations, next }
}

function useMapStation({ document }: Project) {
  const board = useBoard().data ?? []
  const unsure = board.filter((map) => map.state === 'unsure').length
  const conflicts = board.filter((map) => map.state === 'conflict').length
  const mark = [unsure && labels.unsure(unsure), conflicts && count(conflicts, 'conflict')]
  return {
    station: {
      to: 'maps',
      name: labels.maps,
      words: `${sizeOf(document.maps)}`,
      mark: mark.filter(Boolean).join(', '),
    },
    at: { maps: board.length, unsure: unsure + conflicts },
  }
}

function useMeshStation({ document }: Project) {
  const meshes = useMeshes().data ?? []
  // What stays behind is nobody's task.
  const leftOut = document.left_out?.meshes ?? []
  const going = meshes.filter((mesh) => !leftOut.includes(mesh.name))
  const worn = (mesh: MeshFacts) => mesh.slots.map((slot) => mesh.assigned[slot.name])
  const slots = going.flatMap(worn)
  const assigned = slots.filter(Boolean).length
  const all = sizeOf(document.meshes)
  return {
    station: {
      to: 'meshes',
      name: labels.meshes,
      words: labels.of(all - leftOut.length, assigned, count(slots.length, 'slot')),
      mark: '',
    },
    at: { meshes: all, bare: slots.length - assigned },
  }
}

function useCheckStation({ document }: Project) {
  const { data: findings = [], isPending, isPlaceholderData } = useFindings()
  const open = findings.filter(isOpen)
  const bare = sizeOf(document.maps) + sizeOf(document.meshes) === 0
  const words = isPlaceholderData ? labels.checking : open.length ? '' : labels.wordClear
  return {
    station: {
      to: 'checks',
      name: labels.checks,
      words: bare || isPending ? '' : words,
      mark: open.length && !isPlaceholderData ? labels.open(open.length) : '',
    },
    at: { errors: open.filter((finding) => finding.severity === 'error').length },
  }
}

function useExportStation() {
  const [last] = usePackages().data ?? []
  const outdated = useOutdatedPackages().data ?? []
  const behind = last !== undefined && outdated.includes(last.id)
  return {
    station: {
      to: 'export',
      name: labels.export,
      words: !last ? labels.notYet : behind ? '' : labels.upToDate,
      mark: behind ? labels.wordBehind : '',
    },
    at: { exported: last !== undefined && !behind, passed: last?.trial?.passed ?? null },
  }
}
