// Server state: every query and mutation of the interface. Queries below a project are keyed by its revision, so a change
// asks again only for what depends on it, and going back finds what was there.
import { keepPreviousData, queryOptions, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useRef } from 'react'
import { useParams } from 'react-router'

import { sendFile } from '../layout/incoming'
import { useNotices } from '../layout/notices'
import { Said, client, got } from './client'
import type { Alike, BoardMap, By, Conversion, DraftOut, Edit, Finding, Job, MapDetail, Material, MeshFacts, MeshStep, Package, Padding, Plan, Profile, Project, ProjectRow, Proposal, Sheet, StageLook, Suggestion, TargetSummary } from './types'

export const useProjectId = () => useParams().projectId ?? ''

const projectQuery = (id: string) =>
  queryOptions({
    queryKey: ['project', id],
    queryFn: () => got<Project>(client.GET('/api/projects/{project_id}', { params: { path: { project_id: id } } })),
    enabled: id !== '',
  })

export const useProject = () => useQuery(projectQuery(useProjectId()))

export const useProjects = () =>
  useQuery({ queryKey: ['projects'], queryFn: () => got<ProjectRow[]>(client.GET('/api/projects')) })

/** Key and guard of a query that depends on the project's revision. */
function useRevisionKey(name: string, ...rest: unknown[]) {
  const id = useProjectId()
  const revision = useProject().data?.revision
  return { id, queryKey: ['project-part', id, name, revision, ...rest], enabled: revision !== undefined }
}

/** Every target that the project can use: the built-in ones and its own. */
export function useTargets() {
  const { id, queryKey, enabled } = useRevisionKey('targets')
  return useQuery({
    queryKey, enabled, placeholderData: keepPreviousData,
    queryFn: () => got<Profile[]>(client.GET('/api/projects/{project_id}/targets', { params: { path: { project_id: id } } })),
  })
}

export function useComparison() {
  const { id, queryKey, enabled } = useRevisionKey('comparison')
  return useQuery({
    queryKey, enabled,
    queryFn: () => got<TargetSummary[]>(client.GET('/api/projects/{project_id}/comparison', { params: { path: { project_id: id } } })),
  })
}

/** What is wrong with a profile that is being written, or what it would give. */
export function useDraftTarget(profile: Profile) {
  const { id, queryKey, enabled } = useRevisionKey('draft', profile)
  return useQuery({
    queryKey, enabled, placeholderData: keepPreviousData, retry: false,
    queryFn: () => got<DraftOut>(client.POST('/api/projects/{project_id}/target-drafts', { params: { path: { project_id: id } }, body: { profile: profile as never } })),
  })
}

export function useBoard() {
  const { id, queryKey, enabled } = useRevisionKey('maps')
  return useQuery({
    queryKey, enabled, placeholderData: keepPreviousData,
    queryFn: () => got<BoardMap[]>(client.GET('/api/projects/{project_id}/maps', { params: { path: { project_id: id } } })),
  })
}

/** What converting a set of the specular workflow would give. */
export function useConversion(set: string) {
  const { id, queryKey, enabled } = useRevisionKey('conversion', set)
  return useQuery({
    queryKey, enabled, retry: false,
    queryFn: () => got<Conversion>(client.GET('/api/projects/{project_id}/conversions/{set_name}', { params: { path: { project_id: id, set_name: set } } })),
  })
}

export function useMap(name: string | null) {
  const { id, queryKey, enabled } = useRevisionKey('map', name)
  return useQuery({
    queryKey, enabled: enabled && name !== null,
    placeholderData: (before) => (before?.map.name === name ? before : undefined),
    queryFn: () => got<MapDetail>(client.GET('/api/projects/{project_id}/maps/{name}', { params: { path: { project_id: id, name: name ?? '' } } })),
  })
}

export function useSheet(name: string | null) {
  const { id, queryKey, enabled } = useRevisionKey('sheet', name)
  return useQuery({
    queryKey, enabled: enabled && name !== null,
    placeholderData: (before) => (before?.material === name ? before : undefined),
    queryFn: () => got<Sheet>(client.GET('/api/projects/{project_id}/sheets/{name}', { params: { path: { project_id: id, name: name ?? '' } } })),
  })
}

export const trySheet = (id: string, name: string, entry: Material) =>
  got<Sheet>(client.POST('/api/projects/{project_id}/sheets/{name}', { params: { path: { project_id: id, name } }, body: { entry } }))

export function useLooks() {
  const { id, queryKey, enabled } = useRevisionKey('looks')
  return useQuery({
    queryKey, enabled, placeholderData: keepPreviousData,
    queryFn: () => got<Record<string, StageLook>>(client.GET('/api/projects/{project_id}/stage', { params: { path: { project_id: id } } })),
  })
}

export function useMeshes() {
  const { id, queryKey, enabled } = useRevisionKey('meshes')
  return useQuery({
    queryKey, enabled, placeholderData: keepPreviousData,
    queryFn: () => got<MeshFacts[]>(client.GET('/api/projects/{project_id}/meshes', { params: { path: { project_id: id } } })),
  })
}

/** Which map sets belong to which slot of a mesh; compared on the server, and kept there. */
export function useSuggestions(mesh: string | null) {
  const { id, queryKey, enabled } = useRevisionKey('suggestions', mesh)
  return useQuery({
    queryKey, enabled: enabled && mesh !== null, placeholderData: keepPreviousData,
    queryFn: () => got<Suggestion[]>(client.GET('/api/projects/{project_id}/meshes/{name}/suggestions', { params: { path: { project_id: id, name: mesh ?? '' } } })),
  })
}

export function useProposals() {
  const { id, queryKey, enabled } = useRevisionKey('proposals')
  return useQuery({
    queryKey, enabled, retry: false,
    queryFn: () => got<Proposal[]>(client.GET('/api/projects/{project_id}/proposals', { params: { path: { project_id: id } } })),
  })
}

export function useAlike(mesh: string, other: string | null) {
  const { id, queryKey, enabled } = useRevisionKey('alike', mesh, other)
  return useQuery({
    queryKey, enabled: enabled && other !== null,
    queryFn: () => got<Alike[]>(client.GET('/api/projects/{project_id}/meshes/{name}/like/{other}', { params: { path: { project_id: id, name: mesh, other: other ?? '' } } })),
  })
}

export function usePadding(mesh: string, slot: string, map: string | null) {
  const { id, queryKey, enabled } = useRevisionKey('padding', mesh, slot, map)
  return useQuery({
    queryKey, enabled: enabled && map !== null, retry: false,
    queryFn: () => got<Padding>(client.GET('/api/projects/{project_id}/meshes/{name}/padding/{map_name}', { params: { path: { project_id: id, name: mesh, map_name: map ?? '' }, query: { slot } } })),
  })
}

/** Numbers of a mesh's triangles in the order of its geometry: a measure, or marks of some of its faults. */
export function useTriangles(key: string, measure: 'density' | 'stretch' | 'flipped' | null, faults: number[]) {
  return useQuery({
    queryKey: ['triangles', key, measure, faults], enabled: key !== '' && (measure !== null || faults.length > 0), staleTime: Infinity,
    queryFn: async () => {
      if (measure) return new Float32Array(await (await fetch(`/api/mesh-measures/${key}/${measure}.bin`)).arrayBuffer())
      const marks = await Promise.all(faults.map(async (number) => new Uint8Array(await (await fetch(`/api/mesh-faults/${key}/${number}.bin`)).arrayBuffer())))
      return Float32Array.from(marks[0] ?? [], (_, index) => Number(marks.some((mask) => mask[index])))
    },
  })
}

export const facesWith = (id: string, mesh: string, slot: string, face: number, by: By) =>
  got<{ faces: number[] }>(client.GET('/api/projects/{project_id}/meshes/{name}/faces', { params: { path: { project_id: id, name: mesh }, query: { slot, face, by } } }))

export function useFindings() {
  const { id, queryKey, enabled } = useRevisionKey('checks')
  return useQuery({
    queryKey, enabled, placeholderData: keepPreviousData,
    queryFn: () => got<Finding[]>(client.GET('/api/projects/{project_id}/checks', { params: { path: { project_id: id } } })),
  })
}

export function usePlan() {
  const { id, queryKey, enabled } = useRevisionKey('plan')
  return useQuery({
    queryKey, enabled, placeholderData: keepPreviousData, retry: false,
    queryFn: () => got<Plan>(client.GET('/api/projects/{project_id}/plan', { params: { path: { project_id: id } } })),
  })
}

export function usePackages() {
  const id = useProjectId()
  return useQuery({
    queryKey: ['packages', id],
    queryFn: () => got<Package[]>(client.GET('/api/projects/{project_id}/packages', { params: { path: { project_id: id } } })),
  })
}

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
    queryFn: () => got<Job[]>(client.GET('/api/projects/{project_id}/jobs', { params: { path: { project_id: id } } })),
    refetchInterval: (query) => (query.state.data?.some((job) => busy(job.state)) ? 400 : 5000),
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
      if (job.state === 'failed' && error) notice(new Said(0, error.message ?? '', error.subject, error.hint))
    }
  }, [found.data, id, notice, queries])
  return found
}

/** Something that changes the project and answers with its new state. */
function useChange<Given>(call: (project: Project, given: Given) => Promise<Project>) {
  const id = useProjectId()
  const queries = useQueryClient()
  const notice = useNotices((state) => state.say)
  const mutation = useMutation({
    mutationFn: (given: Given) => call(queries.getQueryData<Project>(['project', id])!, given),
    onSuccess: (project) => queries.setQueryData(['project', id], project),
    onError: (problem) => notice(problem),
  })
  return mutation
}

const at = (project: Project) => ({ params: { path: { project_id: project.id } }, body: { revision: project.revision } })

export function useEdit() {
  const change = useChange((project, edits: Edit[]) =>
    got<Project>(client.POST('/api/projects/{project_id}/edits', { params: { path: { project_id: project.id } }, body: { revision: project.revision, edits } })),
  )
  const { mutateAsync } = change
  // The promise resolves to whether it was done: errors are said once, by the mutation.
  return useCallback((...edits: Edit[]) => mutateAsync(edits).then((project) => project, () => null), [mutateAsync])
}

/** Change what is done to a mesh after it is read. */
export function useRecipe() {
  const change = useChange((project, { mesh, recipe }: { mesh: string; recipe: MeshStep[] }) =>
    got<Project>(client.POST('/api/projects/{project_id}/meshes/{name}/recipe', { params: { path: { project_id: project.id, name: mesh } }, body: { revision: project.revision, recipe } })),
  )
  const { mutateAsync } = change
  return useCallback((mesh: string, recipe: MeshStep[]) => mutateAsync({ mesh, recipe }).then((project) => project, () => null), [mutateAsync])
}

export const useUndo = () => useChange((project) => got<Project>(client.POST('/api/projects/{project_id}/undo', at(project))))
export const useRedo = () => useChange((project) => got<Project>(client.POST('/api/projects/{project_id}/redo', at(project))))

export const useCheckpoint = () =>
  useChange((project, name: string) =>
    got<Project>(client.POST('/api/projects/{project_id}/checkpoints', { params: { path: { project_id: project.id } }, body: { name } })),
  )

export const useRestore = () =>
  useChange((project, checkpoint: number) =>
    got<Project>(client.POST('/api/projects/{project_id}/checkpoints/{checkpoint_id}/restore', {
      params: { path: { project_id: project.id, checkpoint_id: checkpoint } }, body: { revision: project.revision },
    })),
  )

export function useStartJob() {
  const id = useProjectId()
  const queries = useQueryClient()
  const notice = useNotices((state) => state.say)
  const started = { onSuccess: () => void queries.invalidateQueries({ queryKey: ['jobs', id] }), onError: (problem: Error) => notice(problem) }
  const path = { project_id: id }
  const startExport = useMutation({
    mutationFn: (trial: boolean) => {
      const revision = queries.getQueryData<Project>(['project', id])?.revision ?? 0
      return got<Job>(client.POST('/api/projects/{project_id}/exports', { params: { path }, body: { revision, trial } }))
    },
    ...started,
  })
  const startTrial = useMutation({
    mutationFn: (pack: number) => got<Job>(client.POST('/api/projects/{project_id}/packages/{package_id}/trial', { params: { path: { ...path, package_id: pack } } })),
    ...started,
  })
  const startForeign = useMutation({
    mutationFn: async (file: File) => {
      const body = await sendFile(file)
      return got<Job>(client.POST('/api/projects/{project_id}/packages', { params: { path }, body }))
    },
    onSuccess: () => { started.onSuccess(); void queries.invalidateQueries({ queryKey: ['packages', id] }) },
    onError: started.onError,
  })
  const startConvert = useMutation({
    mutationFn: (set: string) => got<Job>(client.POST('/api/projects/{project_id}/convert', { params: { path }, body: { set } })),
    ...started,
  })
  const startInside = useMutation({
    mutationFn: (mesh: string) => got<Job>(client.POST('/api/projects/{project_id}/meshes/{name}/inside', { params: { path: { ...path, name: mesh } } })),
    ...started,
  })
  const startBake = useMutation({
    mutationFn: ({ mesh, ...given }: { mesh: string; slot: string; size: 256 | 512 | 1024 | 2048 | 4096; samples: number; feed: boolean }) =>
      got<Job>(client.POST('/api/projects/{project_id}/meshes/{name}/occlusion', { params: { path: { ...path, name: mesh } }, body: given })),
    ...started,
  })
  const cancel = useMutation({
    mutationFn: (job: string) => got<Job>(client.POST('/api/jobs/{job_id}/cancel', { params: { path: { job_id: job } } })),
    ...started,
  })
  return { startExport, startTrial, startForeign, startConvert, startBake, startInside, cancel }
}
