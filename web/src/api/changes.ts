// Everything that changes the project: edits, undo, checkpoints and steps of meshes.
import { useQueryClient } from '@tanstack/react-query'
import { useCallback } from 'react'
import { create } from 'zustand'

import { get, post } from './client'
import { jobEnds } from './jobs'
import { useNotices } from './notices'
import { useProjectId } from './queries'
import { PAGE, enqueue } from './queue'
import type { Edit, MeshStep, Project } from './types'

/** The way into the line of edits. */
function useLine() {
  const id = useProjectId()
  const queries = useQueryClient()
  return useCallback(
    (edits: Edit[], send: Parameters<typeof enqueue>[3]) => enqueue(queries, id, edits, send),
    [id, queries],
  )
}

const at = (project: Project, seen: number) => ({
  params: { path: { project_id: project.id } },
  body: { revision: seen, page: PAGE },
})

/** Edits as one step. The promise gives the project afterwards, or null where it was refused, which has been said then. */
export function useEdit() {
  const line = useLine()
  return useCallback(
    (...edits: Edit[]) =>
      line(edits, (project, { edits, seen }) =>
        post('/api/projects/{project_id}/edits', {
          params: { path: { project_id: project.id } },
          body: { revision: seen, page: PAGE, edits },
        }),
      ),
    [line],
  )
}

export function useUndo() {
  const line = useLine()
  return useCallback(
    () =>
      line([], (project, { seen }) => post('/api/projects/{project_id}/undo', at(project, seen))),
    [line],
  )
}

export function useRedo() {
  const line = useLine()
  return useCallback(
    () =>
      line([], (project, { seen }) => post('/api/projects/{project_id}/redo', at(project, seen))),
    [line],
  )
}

export function useCheckpoint() {
  const line = useLine()
  return useCallback(
    (name: string) =>
      line([], (project) =>
        post('/api/projects/{project_id}/checkpoints', {
          params: { path: { project_id: project.id } },
          body: { name },
        }),
      ),
    [line],
  )
}

export function useRestore() {
  const line = useLine()
  return useCallback(
    (checkpoint: number) =>
      line([], (project, { seen }) =>
        post('/api/projects/{project_id}/checkpoints/{checkpoint_id}/restore', {
          params: { path: { project_id: project.id, checkpoint_id: checkpoint } },
          body: { revision: seen, page: PAGE },
        }),
      ),
    [line],
  )
}

/** Bring the state after a step of the history back. */
export function useRestoreVersion() {
  const line = useLine()
  return useCallback(
    (revision: number) =>
      line([], (project, { seen }) =>
        post('/api/projects/{project_id}/history/{revision_id}/bring-back', {
          params: { path: { project_id: project.id, revision_id: revision } },
          body: { revision: seen, page: PAGE },
        }),
      ),
    [line],
  )
}

/** Take files that wait, bring them in beside the old ones, or leave them. */
export function useDecide() {
  const id = useProjectId()
  const line = useLine()
  const queries = useQueryClient()
  return useCallback(
    async (what: 'take' | 'keep-both' | 'leave', offers: { id: number }[]) => {
      const project = await line([], (project, { seen }) =>
        post('/api/projects/{project_id}/offers', {
          params: { path: { project_id: project.id } },
          body: { revision: seen, page: PAGE, what, ids: offers.map((offer) => offer.id) },
        }),
      )
      void queries.invalidateQueries({ queryKey: ['project-part', id] })
      void queries.invalidateQueries({ queryKey: ['jobs', id] })
      return project
    },
    [id, line, queries],
  )
}

let stepping: Promise<unknown> = Promise.resolve()

interface Stepping {
  /** Steps that are being made, and wait to be made, as they were sent. */
  sent: string[]
}

export const useStepping = create<Stepping>(() => ({ sent: [] }))

/** Change what is done to a mesh after it is read: one step more, or another recipe. Steps stand in a line of their own, for some
 * are jobs, and each is made on what the one before has left. */
export function useRecipe() {
  const id = useProjectId()
  const queries = useQueryClient()
  const notice = useNotices((state) => state.say)
  return useCallback(
    (mesh: string, change: { append: MeshStep } | { recipe: MeshStep[] }) => {
      const key = `${id} ${mesh} ${JSON.stringify(change)}`
      const { sent } = useStepping.getState()
      // The same once more while it is made is a finger that slipped.
      if (sent.includes(key)) return Promise.resolve(null)
      useStepping.setState({ sent: [...sent, key] })
      const made = stepping.then(async () => {
        try {
          const path = { project_id: id, name: mesh }
          const revision = queries.getQueryData<Project>(['project', id])?.revision ?? 0
          const answer = await post('/api/projects/{project_id}/meshes/{name}/recipe', {
            params: { path },
            body: { revision, page: PAGE, ...change },
          })
          if (answer.job) await jobEnds(answer.job)
          const project =
            answer.project ??
            (await get('/api/projects/{project_id}', { params: { path: { project_id: id } } }))
          queries.setQueryData(['project', id], project)
          return project
        } catch (problem) {
          notice(problem as Error)
          return null
        } finally {
          useStepping.setState(({ sent }) => ({ sent: sent.filter((other) => other !== key) }))
        }
      })
      stepping = made
      return made
    },
    [id, notice, queries],
  )
}
