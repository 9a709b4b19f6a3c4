// What a person had chosen on a screen: there again when they come back, also after a reload. Kept in this browser, by project;
// nothing of it is part of the project.
import { useCallback } from 'react'
import { create } from 'zustand'
import { persist } from 'zustand/middleware'

import { useProjectId } from '../api/queries'

type Plain = string | boolean | null
/** Projects that are remembered: the last ones that were changed in. */
const MOST = 20

interface Remembered {
  projects: Record<string, Record<string, Plain>>
  keep: (project: string, name: string, value: Plain) => void
}

export const useAllRemembered = create<Remembered>()(
  persist(
    (set) => ({
      projects: {},
      keep: (project, name, value) =>
        set(({ projects }) => {
          if (projects[project]?.[name] === value) return {}
          const { [project]: own, ...others } = projects
          const kept = Object.entries(others).slice(1 - MOST)
          return { projects: { ...Object.fromEntries(kept), [project]: { ...own, [name]: value } } }
        }),
    }),
    { name: 'ektopos-left', partialize: ({ projects }) => ({ projects }) },
  ),
)

/** A state of a screen that is as it was left. */
export function useRemembered<T extends Plain>(name: string, initial: T) {
  const id = useProjectId()
  const known = useAllRemembered((state) => state.projects[id]?.[name]) as T | undefined
  const keep = useAllRemembered((state) => state.keep)
  const set = useCallback((value: T) => keep(id, name, value), [id, keep, name])
  return [known === undefined ? initial : known, set] as const
}
