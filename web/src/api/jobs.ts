// Long work: the project's jobs, what starts them, and the packages they make.
import type { BAKE_SIZES } from './tables'
import { type QueryClient, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'

import { ApiError, get, post } from './client'
import { sendFile } from './imports'
import { useNotices } from './notices'
import { useProjectId } from './queries'
import type { Job, Painting, Project } from './types'

const busy = (state: string) => state === 'waiting' || state === 'running'
import { labels } from '../words/components'

/** Jobs of this page whose file is to be saved when they have packed it. */
const downloads = new Set<string>()

/** The project's jobs; while one is running they are asked for often. */
export function useJobs() {
  const id = useProjectId()
  return useQuery({
    queryKey: ['jobs', id],
    queryFn: () => get('/api/projects/{project_id}/jobs', { params: { path: { project_id: id } } }),
    refetchInterval: (query) => (query.state.data?.some((job) => busy(job.state)) ? 400 : false),
    enabled: id !== '',
  })
}

/** Load what jobs have changed as they end, and say what went wrong. Once a page: whoever only lists jobs asks nothing again. */
export function useJobEnds() {
  const id = useProjectId()
  const queries = useQueryClient()
  const notice = useNotices((state) => state.say)
  // Jobs of a project whose end has been seen; none before the first answer, whose ended jobs are old news.
  const ended = useRef<{ of: string; seen: Set<string> } | null>(null)
  const jobs = useJobs().data
  useEffect(() => {
    if (!jobs) return
    const done = jobs.filter((job) => !busy(job.state))
    const seen = ended.current?.of === id ? ended.current.seen : null
    const fresh = done.filter((job) => seen !== null && !seen.has(job.id))
    ended.current = { of: id, seen: new Set([...(seen ?? []), ...done.map((job) => job.id)]) }
    if (fresh.length === 0) return
    void loadChanged(queries, id)
    void queries.invalidateQueries({ queryKey: ['packages', id] })
    for (const job of fresh) {
      for (const problem of problemsOf(job)) notice(problem)
      if (job.state === 'done' && downloads.delete(job.id))
        window.location.assign(`/api/jobs/${job.id}/file`)
    }
  }, [jobs, id, notice, queries])
}

interface Result {
  files?: { path: string; error?: string }[]
}

/** What an ended job says went wrong: why it failed, or which of its files could not be read. */
function problemsOf(job: Job): ApiError[] {
  if (job.state === 'failed') return job.error ? [failureOf(job)] : []
  if (job.kind !== 'measure' && job.kind !== 'embedded') return []
  const wrong = ((job.result as Result | null)?.files ?? []).filter((file) => file.error)
  const [first] = wrong
  if (!first) return []
  const files = wrong.length > 1 ? labels.andMore(first.path, wrong.length - 1) : first.path
  return [new ApiError(0, first.error ?? '', files)]
}

function failureOf(job: Job): ApiError {
  const error = job.error as { message?: string; subject?: string; hint?: string } | null
  return new ApiError(0, error?.message ?? 'it failed.', error?.subject, error?.hint)
}

/** Load the project, and its parts if it is at the revision that they were asked at: at another they are asked for anew by themselves. */
export async function loadChanged(queries: QueryClient, id: string) {
  const revision = () => queries.getQueryData<Project>(['project', id])?.revision
  const before = revision()
  await queries.invalidateQueries({ queryKey: ['project', id], exact: true })
  if (revision() === before) await queries.invalidateQueries({ queryKey: ['project-part', id] })
}

/** Wait until a job has ended. Throws what it failed with. */
export async function jobEnds(job: Job) {
  let now = job
  while (busy(now.state)) {
    await new Promise((next) => setTimeout(next, 300))
    now = await get('/api/jobs/{job_id}', { params: { path: { job_id: job.id } } })
  }
  if (now.state === 'failed') throw failureOf(now)
}

export function usePackages() {
  const id = useProjectId()
  return useQuery({
    queryKey: ['packages', id],
    queryFn: () =>
      get('/api/projects/{project_id}/packages', { params: { path: { project_id: id } } }),
  })
}

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
      post('/api/projects/{project_id}/meshes/{name}/embedded-materials', {
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
      size: (typeof BAKE_SIZES)[number]
      samples: number
      feed: boolean
    }) =>
      post('/api/projects/{project_id}/meshes/{name}/occlusion', {
        params: { path: { ...path, name: mesh } },
        body: given,
      }),
    ...started,
  })
  const startNormal = useMutation({
    mutationFn: (body: { material: string; depth: number; over: boolean }) =>
      post('/api/projects/{project_id}/normals', { params: { path }, body }),
    ...started,
  })
  const startPaint = useMutation({
    mutationFn: ({ mesh, ...given }: { mesh: string } & Painting) =>
      post('/api/projects/{project_id}/meshes/{name}/paint', {
        params: { path: { ...path, name: mesh } },
        body: given,
      }),
    ...started,
  })
  const startScene = useMutation({
    mutationFn: (size: number) =>
      post('/api/projects/{project_id}/scene/file', { params: { path }, body: { size } }),
    onSuccess: (job) => {
      downloads.add(job.id)
      started.onSuccess()
    },
    onError: started.onError,
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
    startPaint,
    startNormal,
    startInside,
    startArchive,
    startScene,
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
