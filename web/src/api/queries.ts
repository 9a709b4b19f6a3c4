// Server state: every query and mutation of the interface. Queries below a project are keyed by its revision, so a change
// asks again only for what depends on it, and going back finds what was there.
import {
  keepPreviousData,
  queryOptions,
  useMutation,
  useQuery,
  useQueryClient,
} from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useRef } from 'react'
import { useParams } from 'react-router'

import { sendFile } from './incoming'
import { useNotices } from './notices'
import { ApiError, get, post } from './client'
import { PAGE, enqueue, shownWith, useQueue, waitingOf } from './queue'
import type { By, Edit, Job, Material, MeshStep, Profile, Project } from './types'

export const useProjectId = () => useParams().projectId ?? ''

const projectQuery = (id: string) =>
  queryOptions({
    queryKey: ['project', id],
    queryFn: () => get('/api/projects/{project_id}', { params: { path: { project_id: id } } }),
    enabled: id !== '',
  })

/** The project as this page shows it: with its own edits that have not been answered yet. */
export function useProject() {
  const id = useProjectId()
  const found = useQuery(projectQuery(id))
  const waiting = useQueue(waitingOf(id))
  const data = useMemo(
    () =>
      found.data &&
      (waiting.length > 0
        ? { ...found.data, document: shownWith(found.data.document, waiting) }
        : found.data),
    [found.data, waiting],
  )
  return { ...found, data }
}

/** Ask every second whether anything has changed, and load what has. */
export function usePulse() {
  const id = useProjectId()
  const queries = useQueryClient()
  const pulse = useQuery({
    queryKey: ['pulse', id],
    enabled: id !== '',
    refetchInterval: 1000,
    staleTime: 0,
    retry: false,
    queryFn: () =>
      get('/api/projects/{project_id}/pulse', { params: { path: { project_id: id } } }),
  }).data
  const waits = useQueue(waitingOf(id)).length > 0
  useEffect(() => {
    const known = queries.getQueryData<Project>(['project', id])
    // While own edits wait, their answers bring what is new.
    if (pulse && known && !waits && known.revision !== pulse.revision)
      void queries.invalidateQueries({ queryKey: ['project', id], exact: true })
  }, [id, pulse, queries, waits])
  const jobs = pulse?.jobs
  useEffect(() => {
    if (jobs) void queries.invalidateQueries({ queryKey: ['jobs', id] })
  }, [id, jobs, queries])
}

export const useProjects = () =>
  useQuery({
    queryKey: ['projects'],
    queryFn: () => get('/api/projects'),
  })

/** Key and guard of a query that depends on the project's revision. */
function useRevisionKey(name: string, ...rest: unknown[]) {
  const id = useProjectId()
  const revision = useProject().data?.revision
  return {
    id,
    queryKey: ['project-part', id, name, revision, ...rest],
    enabled: revision !== undefined,
  }
}

/** Every target that the project can use: the built-in ones and its own. */
export function useTargets() {
  const { id, queryKey, enabled } = useRevisionKey('targets')
  return useQuery({
    queryKey,
    enabled,
    placeholderData: keepPreviousData,
    queryFn: () =>
      get('/api/projects/{project_id}/targets', { params: { path: { project_id: id } } }),
  })
}

export function useComparison() {
  const { id, queryKey, enabled } = useRevisionKey('comparison')
  return useQuery({
    queryKey,
    enabled,
    queryFn: () =>
      get('/api/projects/{project_id}/comparison', {
        params: { path: { project_id: id } },
      }),
  })
}

/** What is wrong with a profile that is being written, or what it would give. */
export function useDraftTarget(profile: Profile) {
  const { id, queryKey, enabled } = useRevisionKey('draft', profile)
  return useQuery({
    queryKey,
    enabled,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () =>
      post('/api/projects/{project_id}/target-drafts', {
        params: { path: { project_id: id } },
        body: { profile: profile as never },
      }),
  })
}

export function useBoard() {
  const { id, queryKey, enabled } = useRevisionKey('maps')
  return useQuery({
    queryKey,
    enabled,
    placeholderData: keepPreviousData,
    queryFn: () => get('/api/projects/{project_id}/maps', { params: { path: { project_id: id } } }),
  })
}

/** What converting a set of the specular workflow would give. */
export function useConversion(set: string) {
  const { id, queryKey, enabled } = useRevisionKey('conversion', set)
  return useQuery({
    queryKey,
    enabled,
    retry: false,
    queryFn: () =>
      get('/api/projects/{project_id}/conversions/{set_name}', {
        params: { path: { project_id: id, set_name: set } },
      }),
  })
}

export function useMap(name: string | null) {
  const { id, queryKey, enabled } = useRevisionKey('map', name)
  const there = useProject().data?.document.maps?.[name ?? ''] !== undefined
  return useQuery({
    queryKey,
    enabled: enabled && there,
    placeholderData: (before) => (before?.map.name === name ? before : undefined),
    queryFn: () =>
      get('/api/projects/{project_id}/maps/{name}', {
        params: { path: { project_id: id, name: name ?? '' } },
      }),
  })
}

export function useSheet(name: string | null) {
  const { id, queryKey, enabled } = useRevisionKey('sheet', name)
  return useQuery({
    queryKey,
    enabled: enabled && name !== null,
    placeholderData: (before) => (before?.material === name ? before : undefined),
    queryFn: () =>
      get('/api/projects/{project_id}/sheets/{name}', {
        params: { path: { project_id: id, name: name ?? '' } },
      }),
  })
}

export const trySheet = (id: string, name: string, entry: Material) =>
  post('/api/projects/{project_id}/sheets/{name}', {
    params: { path: { project_id: id, name } },
    body: { entry },
  })

export function useLooks() {
  const { id, queryKey, enabled } = useRevisionKey('looks')
  return useQuery({
    queryKey,
    enabled,
    placeholderData: keepPreviousData,
    queryFn: () =>
      get('/api/projects/{project_id}/stage', { params: { path: { project_id: id } } }),
  })
}

/** Every mesh; what its slots wear and which are done is what the page shows, not what was measured. */
export function useMeshes() {
  const { id, queryKey, enabled } = useRevisionKey('meshes')
  const stated = useProject().data?.document.meshes
  const found = useQuery({
    queryKey,
    enabled,
    placeholderData: keepPreviousData,
    queryFn: () =>
      get('/api/projects/{project_id}/meshes', { params: { path: { project_id: id } } }),
  })
  const data = useMemo(
    () =>
      found.data?.map((mesh) => {
        const entry = stated?.[mesh.name]
        return entry
          ? { ...mesh, assigned: { ...mesh.assigned, ...entry.slots }, done: entry.done ?? [] }
          : mesh
      }),
    [found.data, stated],
  )
  return { ...found, data }
}

/** Which map sets belong to which slot of a mesh: compared by a job, and asked for until it is done. */
export function useSuggestions(mesh: string | null) {
  const { id, queryKey, enabled } = useRevisionKey('suggestions', mesh)
  const found = useQuery({
    queryKey,
    enabled: enabled && mesh !== null,
    placeholderData: keepPreviousData,
    refetchInterval: untilReady,
    queryFn: () =>
      get('/api/projects/{project_id}/meshes/{name}/suggestions', {
        params: { path: { project_id: id, name: mesh ?? '' } },
      }),
  })
  return { ...found, data: found.data?.ready ? found.data.slots : undefined }
}

export function useProposals() {
  const { id, queryKey, enabled } = useRevisionKey('proposals')
  const found = useQuery({
    queryKey,
    enabled,
    retry: false,
    refetchInterval: untilReady,
    queryFn: () =>
      get('/api/projects/{project_id}/proposals', {
        params: { path: { project_id: id } },
      }),
  })
  return { ...found, data: found.data?.ready ? found.data.proposals : undefined }
}

export function useAlike(mesh: string, other: string | null) {
  const { id, queryKey, enabled } = useRevisionKey('alike', mesh, other)
  return useQuery({
    queryKey,
    enabled: enabled && other !== null,
    queryFn: () =>
      get('/api/projects/{project_id}/meshes/{name}/like/{other}', {
        params: { path: { project_id: id, name: mesh, other: other ?? '' } },
      }),
  })
}

export function usePadding(mesh: string, slot: string, map: string | null) {
  const { id, queryKey, enabled } = useRevisionKey('padding', mesh, slot, map)
  return useQuery({
    queryKey,
    enabled: enabled && map !== null,
    retry: false,
    queryFn: () =>
      get('/api/projects/{project_id}/meshes/{name}/padding/{map_name}', {
        params: { path: { project_id: id, name: mesh, map_name: map ?? '' }, query: { slot } },
      }),
  })
}

/** The bytes at an address; what cannot be had is said. */
async function bytesAt(address: string): Promise<ArrayBuffer> {
  const answer = await fetch(address)
  if (answer.ok) return answer.arrayBuffer()
  const problem = new ApiError(answer.status, 'a measure of the mesh could not be fetched.')
  useNotices.getState().say(problem)
  throw problem
}

/** What a mesh's file holds besides its triangles. */
export function useScene(name: string, key: string) {
  const id = useProjectId()
  return useQuery({
    queryKey: ['scene', id, name, key],
    staleTime: Infinity,
    queryFn: () =>
      get('/api/projects/{project_id}/meshes/{name}/scene', {
        params: { path: { project_id: id, name } },
      }),
  })
}

/** Numbers of a mesh's triangles in the order of its geometry: a measure, or marks of some of its faults. */
export function useTriangles(
  key: string,
  measure: 'density' | 'stretch' | 'flipped' | null,
  faults: number[],
) {
  return useQuery({
    queryKey: ['triangles', key, measure, faults],
    enabled: key !== '' && (measure !== null || faults.length > 0),
    staleTime: Infinity,
    queryFn: async () => {
      if (measure)
        return new Float32Array(await bytesAt(`/api/mesh-measures/${key}/${measure}.bin`))
      const marks = await Promise.all(
        faults.map(
          async (number) => new Uint8Array(await bytesAt(`/api/mesh-faults/${key}/${number}.bin`)),
        ),
      )
      return Float32Array.from(marks[0] ?? [], (_, index) =>
        Number(marks.some((mask) => mask[index])),
      )
    },
  })
}

export const facesWith = (id: string, mesh: string, slot: string, face: number, by: By) =>
  get('/api/projects/{project_id}/meshes/{name}/faces', {
    params: { path: { project_id: id, name: mesh }, query: { slot, face, by } },
  })

export function useFindings() {
  const { id, queryKey, enabled } = useRevisionKey('checks')
  return useQuery({
    queryKey,
    enabled,
    placeholderData: keepPreviousData,
    queryFn: () =>
      get('/api/projects/{project_id}/checks', { params: { path: { project_id: id } } }),
  })
}

export function usePlan() {
  const { id, queryKey, enabled } = useRevisionKey('plan')
  return useQuery({
    queryKey,
    enabled,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () => get('/api/projects/{project_id}/plan', { params: { path: { project_id: id } } }),
  })
}

export function usePackages() {
  const id = useProjectId()
  return useQuery({
    queryKey: ['packages', id],
    queryFn: () =>
      get('/api/projects/{project_id}/packages', { params: { path: { project_id: id } } }),
  })
}

/** What a job is making is asked for until it is there. */
const untilReady = (query: { state: { data?: { ready: boolean } } }) =>
  query.state.data?.ready === false ? 700 : false

const busy = (state: string) => state === 'waiting' || state === 'running'

/** The project's jobs; while one is running they are asked for often, and what it changed is loaded when it ends. */
export function useJobs() {
  const id = useProjectId()
  const queries = useQueryClient()
  const notice = useNotices((state) => state.say)
  // Jobs whose end has been seen; none before the first answer, whose ended jobs are old news.
  const ended = useRef<Set<string> | null>(null)
  const found = useQuery({
    queryKey: ['jobs', id],
    queryFn: () => get('/api/projects/{project_id}/jobs', { params: { path: { project_id: id } } }),
    refetchInterval: (query) => (query.state.data?.some((job) => busy(job.state)) ? 400 : false),
    enabled: id !== '',
  })
  useEffect(() => {
    if (!found.data) return
    const done = found.data.filter((job) => !busy(job.state))
    const fresh = done.filter((job) => ended.current !== null && !ended.current.has(job.id))
    ended.current = new Set([...(ended.current ?? []), ...done.map((job) => job.id)])
    if (fresh.length === 0) return
    void queries.invalidateQueries({ queryKey: ['project', id] })
    void queries.invalidateQueries({ queryKey: ['project-part', id] })
    void queries.invalidateQueries({ queryKey: ['packages', id] })
    for (const job of fresh) {
      const error = job.error as { message?: string; subject?: string; hint?: string } | null
      if (job.state === 'failed' && error)
        notice(new ApiError(0, error.message ?? '', error.subject, error.hint))
      const wrong = (
        (job.result as { files?: { path: string; error?: string }[] } | null)?.files ?? []
      ).filter((file) => file.error)
      if (wrong[0] && (job.kind === 'measure' || job.kind === 'embedded')) {
        notice(
          new ApiError(
            0,
            wrong[0].error ?? '',
            wrong.length > 1 ? `${wrong[0].path} and ${wrong.length - 1} more` : wrong[0].path,
          ),
        )
      }
      if (job.state === 'done' && downloads.delete(job.id))
        window.location.assign(`/api/jobs/${job.id}/file`)
    }
  }, [found.data, id, notice, queries])
  return found
}

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

let stepping: Promise<unknown> = Promise.resolve()

/** Change what is done to a mesh after it is read: one step more, or another recipe. Steps stand in a line of their own, for some
 * are jobs, and each is made on what the one before has left. */
export function useRecipe() {
  const id = useProjectId()
  const queries = useQueryClient()
  const notice = useNotices((state) => state.say)
  return useCallback(
    (mesh: string, change: { append: MeshStep } | { recipe: MeshStep[] }) => {
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
        }
      })
      stepping = made
      return made
    },
    [id, notice, queries],
  )
}

/** Wait until a job has ended. Throws what it failed with. */
async function jobEnds(job: Job) {
  let now = job
  while (busy(now.state)) {
    await new Promise((next) => setTimeout(next, 300))
    now = await get('/api/jobs/{job_id}', { params: { path: { job_id: job.id } } })
  }
  const error = now.error as { message?: string; subject?: string; hint?: string } | null
  if (now.state === 'failed')
    throw new ApiError(0, error?.message ?? 'it failed.', error?.subject, error?.hint)
}

/** Jobs of this page whose file is to be saved when they have packed it. */
const downloads = new Set<string>()

export function useStartJob() {
  const id = useProjectId()
  const queries = useQueryClient()
  const notice = useNotices((state) => state.say)
  const started = {
    onSuccess: () => void queries.invalidateQueries({ queryKey: ['jobs', id] }),
    onError: (problem: Error) => notice(problem),
  }
  const path = { project_id: id }
  const startExport = useMutation({
    mutationFn: (trial: boolean) => {
      const revision = queries.getQueryData<Project>(['project', id])?.revision ?? 0
      return post('/api/projects/{project_id}/exports', {
        params: { path },
        body: { revision, trial },
      })
    },
    ...started,
  })
  const startTrial = useMutation({
    mutationFn: (pack: number) =>
      post('/api/projects/{project_id}/packages/{package_id}/trial', {
        params: { path: { ...path, package_id: pack } },
      }),
    ...started,
  })
  const startForeign = useMutation({
    mutationFn: async (file: File) => {
      const body = await sendFile(file)
      return post('/api/projects/{project_id}/packages', { params: { path }, body })
    },
    onSuccess: () => {
      started.onSuccess()
      void queries.invalidateQueries({ queryKey: ['packages', id] })
    },
    onError: started.onError,
  })
  const startConvert = useMutation({
    mutationFn: (set: string) =>
      post('/api/projects/{project_id}/convert', { params: { path }, body: { set } }),
    ...started,
  })
  const startInside = useMutation({
    mutationFn: (mesh: string) =>
      post('/api/projects/{project_id}/meshes/{name}/inside', {
        params: { path: { ...path, name: mesh } },
      }),
    ...started,
  })
  const startBake = useMutation({
    mutationFn: ({
      mesh,
      ...given
    }: {
      mesh: string
      slot: string
      size: 256 | 512 | 1024 | 2048 | 4096
      samples: number
      feed: boolean
    }) =>
      post('/api/projects/{project_id}/meshes/{name}/occlusion', {
        params: { path: { ...path, name: mesh } },
        body: given,
      }),
    ...started,
  })
  const startArchive = useMutation({
    mutationFn: (pack: number | null) =>
      pack === null
        ? post('/api/projects/{project_id}/archive', { params: { path } })
        : post('/api/projects/{project_id}/packages/{package_id}/archive', {
            params: { path: { ...path, package_id: pack } },
          }),
    onSuccess: (job) => {
      downloads.add(job.id)
      started.onSuccess()
    },
    onError: started.onError,
  })
  const cancel = useMutation({
    mutationFn: (job: string) =>
      post('/api/jobs/{job_id}/cancel', { params: { path: { job_id: job } } }),
    ...started,
  })
  return {
    startExport,
    startTrial,
    startForeign,
    startConvert,
    startBake,
    startInside,
    startArchive,
    cancel,
  }
}

/** Take a package away, or bring it back. */
export function useRemovePackage() {
  const id = useProjectId()
  const queries = useQueryClient()
  const notice = useNotices((state) => state.say)
  return useMutation({
    mutationFn: ({ pack, back }: { pack: number; back: boolean }) => {
      const given = { params: { path: { project_id: id, package_id: pack } } }
      return back
        ? post('/api/projects/{project_id}/packages/{package_id}/bring-back', given)
        : post('/api/projects/{project_id}/packages/{package_id}/remove', given)
    },
    onSuccess: () => void queries.invalidateQueries({ queryKey: ['packages', id] }),
    onError: notice,
  })
}
