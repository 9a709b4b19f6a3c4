import { inWords } from '../words'
// Notes that people leave at things: what is asked and changed, and where each leads.
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { create } from 'zustand'

import { get, post } from '../api/client'
import { useNotices } from '../api/notices'
import { useProjectId } from '../api/queries'
import type { components } from '../api/schema'
import { labels } from '../words/team'

export type Note = components['schemas']['NoteOut']
export interface At {
  kind: Note['kind']
  place: string[]
}

interface Noting {
  /** Whether the notes are open, and what a new one would be at. */
  at: At | null
  open: (at: At) => void
  close: () => void
}

export const useNoting = create<Noting>((set) => ({
  at: null,
  open: (at) => set({ at }),
  close: () => set({ at: null }),
}))

const STATION: Record<At['kind'], string> = {
  project: 'maps',
  map: 'maps',
  material: 'materials',
  input: 'materials',
  mesh: 'meshes',
  slot: 'meshes',
  finding: 'checks',
  cell: 'export',
}

/** The address within the project of what a note is at. */
export function pathOf({ kind, place }: At): string {
  const station = STATION[kind]
  const named = ['maps', 'materials', 'meshes'].includes(station) && place[0]
  return named ? `${station}/${encodeURIComponent(place[0]!)}` : station
}

export const stationOf = ({ kind }: At) => STATION[kind]

/** What a note is at, in words. */
export function atWords({ kind, place }: At): string {
  if (kind === 'project') return 'the project'
  if (kind === 'input') return labels.wordOf(inWords(place[1]!), place[0])
  if (kind === 'slot') return labels.slotOf(place[1], place[0])
  if (kind === 'finding') return `the finding “${place[0]!.replaceAll('-', ' ')}” at ${place[1]}`
  if (kind === 'cell') return labels.ofInTheTrial(inWords(place[3]!), place[2] || place[1])
  return `${kind} ${place[0]}`
}

/** What the page at an address within the project is about. */
export function atOf(pathname: string): At {
  const [, , , station, thing] = pathname.split('/')
  const kind = { maps: 'map', materials: 'material', meshes: 'mesh' }[station ?? ''] as
    At['kind'] | undefined
  return kind && thing
    ? { kind, place: [decodeURIComponent(thing)] }
    : { kind: 'project', place: [] }
}

export const sameAt = (one: At, other: At) =>
  one.kind === other.kind && one.place.join('\0') === other.place.join('\0')

export function useNotes() {
  const id = useProjectId()
  return (
    useQuery({
      queryKey: ['notes', id],
      enabled: id !== '',
      queryFn: () =>
        get('/api/projects/{project_id}/notes', { params: { path: { project_id: id } } }),
    }).data ?? []
  )
}

/** Leaving, answering and closing notes; each answer is the list as it is then. */
export function useNoteChanges() {
  const id = useProjectId()
  const queries = useQueryClient()
  const onError = useNotices((state) => state.say)
  const onSuccess = (notes: Note[]) => queries.setQueryData(['notes', id], notes)
  const leave = useMutation({
    mutationFn: (body: At & { text: string; answers?: number }) =>
      post('/api/projects/{project_id}/notes', { params: { path: { project_id: id } }, body }),
    onSuccess,
    onError,
  })
  const close = useMutation({
    mutationFn: ({ note, closed }: { note: number; closed: boolean }) =>
      post('/api/projects/{project_id}/notes/{note_id}/close', {
        params: { path: { project_id: id, note_id: note } },
        body: { closed },
      }),
    onSuccess,
    onError,
  })
  return { leave, close }
}
