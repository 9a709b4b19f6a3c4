// Server state: what the interface asks. Questions below a project are keyed by its revision, so a change
// asks again only for what depends on it, and going back finds what was there.
import { keepPreviousData, queryOptions, useQuery, useQueryClient } from '@tanstack/react-query'
import type { Query, QueryClient, UseQueryOptions } from '@tanstack/react-query'
import { useEffect, useMemo } from 'react'
import { useLocation, useParams } from 'react-router'

import { useNotices } from './notices'
import { ApiError, get, post } from './client'
import { shownWith, useQueue, waitingOf } from './queue'
import type { By, Edit, Material, Profile, Project, Pulse } from './types'
import { labels } from '../words/components'

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
  const query = useQuery(projectQuery(id))
  const waiting = useQueue(waitingOf(id))
  const data = useMemo(
    () =>
      query.data &&
      (waiting.length > 0
        ? { ...query.data, document: shownWith(query.data.document, waiting) }
        : query.data),
    [query.data, waiting],
  )
  return { ...query, data }
}

/** What this page shows, as it is told to the others with the next question. */
const placeNow = { where: '' }

/** Who else is in the project now, and where. */
export function useHere() {
  const id = useProjectId()
  return useQuery<Pulse>({ queryKey: ['pulse', id], enabled: false }).data?.here ?? NOBODY
}
const NOBODY: NonNullable<Pulse['here']> = []

/** Ask every second whether anything has changed, and load what has. */
export function usePulse() {
  const id = useProjectId()
  const queries = useQueryClient()
  const { pathname } = useLocation()
  const where = pathname.split('/').slice(3).join('/').slice(0, 300)
  const pulse = useQuery({
    queryKey: ['pulse', id],
    enabled: id !== '',
    refetchInterval: 1000,
    staleTime: 0,
    retry: false,
    queryFn: () =>
      get('/api/projects/{project_id}/pulse', {
        params: { path: { project_id: id }, query: { where: placeNow.where } },
      }),
  }).data
  useEffect(() => {
    placeNow.where = where
  }, [where])
  const revision = useProject().data?.revision
  useEffect(() => {
    if (revision !== undefined) void doubtOthers(queries, id, revision)
  }, [id, queries, revision])
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
  const notes = pulse?.notes
  useEffect(() => {
    if (notes) void queries.invalidateQueries({ queryKey: ['notes', id] })
  }, [id, notes, queries])
}

export const useProjects = () =>
  useQuery({
    queryKey: ['projects'],
    queryFn: () => get('/api/projects'),
  })

interface Asked<T> extends Pick<
  UseQueryOptions<T>,
  'placeholderData' | 'retry' | 'refetchInterval'
> {
  /** What the answer depends on besides the project's revision. */
  of?: unknown[]
  enabled?: boolean
}

/** A question whose answer depends on the project as it is at its revision. */
function usePart<T>(
  name: string,
  ask: (project_id: string) => Promise<T>,
  { of = [], enabled = true, ...rest }: Asked<T> = {},
) {
  const id = useProjectId()
  const revision = useProject().data?.revision
  return useQuery({
    queryKey: ['project-part', id, name, revision, ...of],
    enabled: enabled && revision !== undefined,
    queryFn: () => ask(id),
    ...rest,
  })
}

/** An answer about a part is kept under the revision that it was asked at, and tells of the one that was there when it came: somebody
 * else's edit, or this page's own, can lie between. So what was asked at other revisions is asked again when it is shown again. */
export async function doubtOthers(queries: QueryClient, id: string, revision: number) {
  const others = {
    queryKey: ['project-part', id],
    predicate: ({ queryKey }: Query) => queryKey[3] !== revision,
  }
  await queries.cancelQueries(others)
  await queries.invalidateQueries({ ...others, refetchType: 'none' })
}

/** Every target that the project can use: the built-in ones and its own. */
export function useTargets() {
  return usePart(
    'targets',
    (project_id) => get('/api/projects/{project_id}/targets', { params: { path: { project_id } } }),
    { placeholderData: keepPreviousData },
  )
}

export function useComparison() {
  return usePart('comparison', (project_id) =>
    get('/api/projects/{project_id}/comparison', {
      params: { path: { project_id } },
    }),
  )
}

/** What is wrong with a profile that is being written, or what it would give. */
export function useDraftTarget(profile: Profile) {
  return usePart(
    'draft',
    (project_id) =>
      post('/api/projects/{project_id}/target-drafts', {
        params: { path: { project_id } },
        body: { profile: profile as never },
      }),
    { of: [profile], placeholderData: keepPreviousData, retry: false },
  )
}

export function useBoard(enabled = true) {
  return usePart(
    'maps',
    (project_id) => get('/api/projects/{project_id}/maps', { params: { path: { project_id } } }),
    { enabled, placeholderData: keepPreviousData },
  )
}

/** What converting a set of the specular workflow would give. */
export function useConversion(set: string) {
  return usePart(
    'conversion',
    (project_id) =>
      get('/api/projects/{project_id}/conversions/{set_name}', {
        params: { path: { project_id, set_name: set } },
      }),
    { of: [set], retry: false },
  )
}

export function useMap(name: string | null) {
  const there = useProject().data?.document.maps?.[name ?? ''] !== undefined
  return usePart(
    'map',
    (project_id) =>
      get('/api/projects/{project_id}/maps/{name}', {
        params: { path: { project_id, name: name ?? '' } },
      }),
    {
      of: [name],
      enabled: there,
      placeholderData: (before) => (before?.map.name === name ? before : undefined),
    },
  )
}

export function useSheet(name: string | null) {
  return usePart(
    'sheet',
    (project_id) =>
      get('/api/projects/{project_id}/sheets/{name}', {
        params: { path: { project_id, name: name ?? '' } },
      }),
    {
      of: [name],
      enabled: name !== null,
      placeholderData: (before) => (before?.material === name ? before : undefined),
    },
  )
}

export const trySheet = (id: string, name: string, entry: Material) =>
  post('/api/projects/{project_id}/sheets/{name}', {
    params: { path: { project_id: id, name } },
    body: { entry },
  })

export function useLooks() {
  return usePart(
    'looks',
    (project_id) => get('/api/projects/{project_id}/stage', { params: { path: { project_id } } }),
    { placeholderData: keepPreviousData },
  )
}

/** Every mesh; what its slots wear and which are done is what the page shows, not what was measured. */
export function useMeshes() {
  const stated = useProject().data?.document.meshes
  const query = usePart(
    'meshes',
    (project_id) => get('/api/projects/{project_id}/meshes', { params: { path: { project_id } } }),
    { placeholderData: keepPreviousData },
  )
  const data = useMemo(
    () =>
      query.data?.map((mesh) => {
        const entry = stated?.[mesh.name]
        return entry
          ? { ...mesh, assigned: { ...mesh.assigned, ...entry.slots }, done: entry.done ?? [] }
          : mesh
      }),
    [query.data, stated],
  )
  return { ...query, data }
}

/** What the sets that a mesh wears weigh, and one set for all its slots would; null with fewer than two. */
export function useAtlasEstimate(mesh: string) {
  const there = useProject().data?.document.meshes?.[mesh] !== undefined
  return usePart(
    'as-one',
    (project_id) =>
      get('/api/projects/{project_id}/meshes/{name}/atlas-estimate', {
        params: { path: { project_id, name: mesh } },
      }),
    { of: [mesh], enabled: there, placeholderData: keepPreviousData, retry: false },
  )
}

/** Which map sets belong to which slot of a mesh: compared by a job, and asked for until it is done. */
export function useSuggestions(mesh: string | null) {
  const query = usePart(
    'suggestions',
    (project_id) =>
      get('/api/projects/{project_id}/meshes/{name}/suggestions', {
        params: { path: { project_id, name: mesh ?? '' } },
      }),
    {
      of: [mesh],
      enabled: mesh !== null,
      placeholderData: keepPreviousData,
      refetchInterval: untilReady,
    },
  )
  return { ...query, data: query.data?.ready ? query.data.slots : undefined }
}

export function useProposals() {
  const query = usePart(
    'proposals',
    (project_id) =>
      get('/api/projects/{project_id}/proposals', {
        params: { path: { project_id } },
      }),
    { retry: false, refetchInterval: untilReady },
  )
  return { ...query, data: query.data?.ready ? query.data.proposals : undefined }
}

export function useSimilarMesh(mesh: string, other: string | null) {
  return usePart(
    'alike',
    (project_id) =>
      get('/api/projects/{project_id}/meshes/{name}/similar-mesh/{other}', {
        params: { path: { project_id, name: mesh, other: other ?? '' } },
      }),
    { of: [mesh, other], enabled: other !== null },
  )
}

/** Nameless maps that seem to be of one surface. */
export function useGroupingSuggestions() {
  return usePart(
    'together',
    (project_id) =>
      get('/api/projects/{project_id}/grouping-suggestions', { params: { path: { project_id } } }),
    { placeholderData: keepPreviousData },
  )
}

export function usePadding(mesh: string, slot: string, map: string | null) {
  return usePart(
    'padding',
    (project_id) =>
      get('/api/projects/{project_id}/meshes/{name}/padding/{map_name}', {
        params: { path: { project_id, name: mesh, map_name: map ?? '' }, query: { slot } },
      }),
    { of: [mesh, slot, map], enabled: map !== null, retry: false },
  )
}

/** The bytes at an address; what cannot be had is said. */
async function bytesAt(address: string): Promise<ArrayBuffer> {
  const answer = await fetch(address)
  if (answer.ok) return answer.arrayBuffer()
  const problem = new ApiError(answer.status, labels.aMeasureOfTheMesh)
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
  return usePart(
    'checks',
    (project_id) => get('/api/projects/{project_id}/checks', { params: { path: { project_id } } }),
    { placeholderData: keepPreviousData },
  )
}

/** The packages that would be others if they were exported now, by their numbers. */
export function useOutdatedPackages() {
  return usePart(
    'outdated-packages',
    (project_id) =>
      get('/api/projects/{project_id}/outdated-packages', { params: { path: { project_id } } }),
    { placeholderData: keepPreviousData },
  )
}

/** Files that came in under names that are here, and wait to be taken. */
export function useOffers() {
  return usePart(
    'offers',
    (project_id) => get('/api/projects/{project_id}/offers', { params: { path: { project_id } } }),
    { placeholderData: keepPreviousData },
  )
}

/** What taking one of them would change. */
export function useOfferEffect(offer_id: number) {
  return usePart(
    'offer',
    (project_id) =>
      get('/api/projects/{project_id}/offers/{offer_id}/effect', {
        params: { path: { project_id, offer_id } },
      }),
    { of: [offer_id], retry: false },
  )
}

/** How a material looks now and after some edits; without a material, the first that they are seen on. */
export function usePreview(edits: Edit[], material: string | null) {
  return usePart(
    'preview',
    (project_id) =>
      post('/api/projects/{project_id}/checks/preview', {
        params: { path: { project_id } },
        body: { edits, material },
      }),
    { of: [material, JSON.stringify(edits)], retry: false },
  )
}

export function usePlan() {
  return usePart(
    'plan',
    (project_id) => get('/api/projects/{project_id}/plan', { params: { path: { project_id } } }),
    { placeholderData: keepPreviousData, retry: false },
  )
}

/** What a job is making is asked for until it is there. */
const untilReady = (query: { state: { data?: { ready: boolean } } }) =>
  query.state.data?.ready === false ? 700 : false
