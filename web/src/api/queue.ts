// The one line in which a page's edits stand: sent one after the other, each when the one before has been answered, and shown
// meanwhile. Each says on which state it was made, so that nobody else's work is overwritten unseen.
import type { QueryClient } from '@tanstack/react-query'
import { create } from 'zustand'

import { useNotices } from './notices'
import { ApiError } from './client'
import { withEdits, renamedIn } from './optimistic'
import type { Document, Edit, Project } from './types'

/** This page, as the server tells its edits from those of others. (`randomUUID` is for pages of HTTPS or of this machine.) */
export const PAGE = crypto.getRandomValues(new Uint32Array(3)).join('-')

interface Task {
  edits: Edit[]
  seen: number
  send: (project: Project, task: Task) => Promise<Project>
  settle: (project: Project | null) => void
}

interface Queue {
  /** What has not been answered yet, by project. */
  waiting: Record<string, Task[]>
  set: (id: string, tasks: Task[]) => void
}

export const useQueue = create<Queue>((set) => ({
  waiting: {},
  set: (id, tasks) => set((state) => ({ waiting: { ...state.waiting, [id]: tasks } })),
}))

const NOTHING: Task[] = []
export const waitingOf = (id: string) => (state: Queue) => state.waiting[id] ?? NOTHING

/** A document with what has not been answered yet. */
export const shownWith = (document: Document, waiting: Task[]): Document =>
  waiting.flatMap((task) => task.edits).reduce(withEdits, document)

/** What a material will be called, for titles; its address changes when the server has answered. */
export function calledSoon(name: string, waiting: Task[]): string {
  return waiting
    .flatMap((task) => task.edits)
    .reduce(
      (now, edit) => (edit.kind === 'rename-material' && edit.material === now ? edit.name : now),
      name,
    )
}

const running = new Set<string>()

/** Put something into the line; gives the project as it is then, or null where it was refused, which is said. */
export function enqueue(
  queries: QueryClient,
  id: string,
  edits: Edit[],
  send: Task['send'],
): Promise<Project | null> {
  const seen = queries.getQueryData<Project>(['project', id])?.revision ?? 0
  return new Promise((settle) => {
    const { waiting, set } = useQueue.getState()
    set(id, [...(waiting[id] ?? []), { edits, seen, send, settle }])
    if (!running.has(id)) void work(queries, id)
  })
}

async function work(queries: QueryClient, id: string) {
  running.add(id)
  for (;;) {
    const task = useQueue.getState().waiting[id]?.[0]
    if (!task) break
    let after: Project | null = null
    try {
      after = await task.send(queries.getQueryData<Project>(['project', id])!, task)
      // An answer to an older question must not be taken for the newest.
      await queries.cancelQueries({ queryKey: ['project', id], exact: true })
      queries.setQueryData(['project', id], after)
    } catch (problem) {
      useNotices.getState().say(problem as Error)
      if (problem instanceof ApiError && problem.status === 409)
        void queries.invalidateQueries({ queryKey: ['project', id], exact: true })
    }
    const { waiting, set } = useQueue.getState()
    const left = (waiting[id] ?? []).slice(1)
    set(
      id,
      after
        ? left.map((other) => ({
            ...other,
            edits: other.edits.map((edit) => task.edits.reduce(renamedIn, edit)),
          }))
        : left,
    )
    task.settle(after)
  }
  running.delete(id)
}

/** Ask before the page is left while something has not been answered. */
export function guardLeaving() {
  window.addEventListener('beforeunload', (event) => {
    if (Object.values(useQueue.getState().waiting).some((tasks) => tasks.length > 0))
      event.preventDefault()
  })
}
