// Who is in a project and who asks: questions and changes.
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'

import { erase, get, post } from '../api/client'
import { useNotices } from '../api/notices'
import { useProjectId } from '../api/queries'
import type { components } from '../api/schema'
import { labels } from '../words/team'

type Schemas = components['schemas']
export type People = Schemas['People']
export type Pending = Schemas['Pending']
export type RoleName = People['role']

export const ROLES: [RoleName, string][] = [
  ['look', 'may look'],
  ['work', labels.worksOnIt],
  ['own', 'owns it'],
]

/** Who asks, and whether people log in here at all. */
export const useMe = () =>
  useQuery({ queryKey: ['me'], queryFn: () => get('/api/me'), staleTime: Infinity }).data

export function usePeople() {
  const id = useProjectId()
  return useQuery({
    queryKey: ['people', id],
    enabled: id !== '',
    queryFn: () =>
      get('/api/projects/{project_id}/people', { params: { path: { project_id: id } } }),
  })
}

/** What an owner can change; each answer is followed by the list as it is then. */
export function usePeopleChanges() {
  const id = useProjectId()
  const queries = useQueryClient()
  const onError = useNotices((state) => state.say)
  const onSuccess = () => void queries.invalidateQueries({ queryKey: ['people', id] })
  const path = { project_id: id }
  const setRole = useMutation({
    mutationFn: (body: Schemas['SetRole']) =>
      post('/api/projects/{project_id}/people', { params: { path }, body }),
    onSuccess,
    onError,
  })
  const invite = useMutation({
    mutationFn: (body: { role: RoleName; email: string }) =>
      post('/api/projects/{project_id}/invitations', { params: { path }, body }),
    onSuccess,
    onError,
  })
  const share = useMutation({
    mutationFn: (body: { label: string; days: number }) =>
      post('/api/projects/{project_id}/shared-links', { params: { path }, body }),
    onSuccess,
    onError,
  })
  const newKey = useMutation({
    mutationFn: (body: { label: string; scope: 'look' | 'work'; days: number }) =>
      post('/api/projects/{project_id}/keys', { params: { path }, body }),
    onSuccess,
    onError,
  })
  const end = useMutation({
    mutationFn: ({ kind, row }: { kind: 'invitation' | 'link' | 'key'; row: number }) =>
      kind === 'invitation'
        ? erase('/api/projects/{project_id}/invitations/{invitation_id}', {
            params: { path: { ...path, invitation_id: row } },
          })
        : kind === 'link'
          ? erase('/api/projects/{project_id}/shared-links/{link_id}', {
              params: { path: { ...path, link_id: row } },
            })
          : erase('/api/projects/{project_id}/keys/{key_id}', {
              params: { path: { ...path, key_id: row } },
            }),
    onSuccess,
    onError,
  })
  return { setRole, invite, share, newKey, end }
}
