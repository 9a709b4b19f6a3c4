// Files on their way in: uploaded one by one with progress, then measured by a job.
import { create } from 'zustand'

import { ApiError, csrfToken, post, toApiError } from './client'
import type { Project } from './types'
import { labels } from '../words/components'

export interface Item {
  path: string
  sent: number
  state: 'waiting' | 'sending' | 'sent' | 'done' | 'waits' | 'failed' | 'cancelled'
  words: string
}

interface Incoming {
  items: Item[]
  job: string | null
  open: boolean
  running: boolean
  bringIn: (projectId: string, files: File[], started: () => void) => Promise<void>
  openProject: (files: File[]) => Promise<Project>
  report: (
    job: string,
    outcomes: { path: string; outcome?: string; error?: string; waits?: boolean }[],
    ended: string,
  ) => void
  cancel: () => void
  close: () => void
}

const PARALLEL = 3

/** A file's path below the dropped folder. */
export function pathOf(file: File): string {
  const given =
    (file as File & { path?: string; relativePath?: string }).path ?? file.webkitRelativePath
  return (given || file.name).replace(/^[./\\]+/, '')
}

/** Above this a file is sent without looking first whether it is there: hashing needs all of it in memory. */
const HASHED_BYTES = 512 * 2 ** 20

/** The file's hash if its content is on the server already. */
async function known(file: File): Promise<string | null> {
  // Browsers let only pages of HTTPS or of this machine hash.
  if (file.size > HASHED_BYTES || !window.isSecureContext) return null
  const digest = await crypto.subtle.digest('SHA-256', await file.arrayBuffer())
  const sha256 = [...new Uint8Array(digest)]
    .map((byte) => byte.toString(16).padStart(2, '0'))
    .join('')
  const there = await post('/api/uploads/known', { body: { sha256: [sha256] } })
  return there.includes(sha256) ? sha256 : null
}

let requests: XMLHttpRequest[] = []

function send(
  file: File,
  path: string,
  progress: (share: number) => void,
): Promise<{ path: string; sha256: string }> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    requests.push(request)
    request.open('POST', '/api/uploads')
    request.setRequestHeader('X-CSRFToken', csrfToken())
    request.responseType = 'json'
    request.upload.onprogress = (event) => progress(event.loaded / Math.max(1, event.total))
    request.onload = () =>
      request.status === 200
        ? resolve(request.response)
        : reject(toApiError(request.status, request.response))
    request.onerror = () => reject(toApiError(0, null))
    request.onabort = () => reject(new ApiError(0, 'stopped'))
    const form = new FormData()
    form.append('file', file, file.name)
    form.append('path', path)
    request.send(form)
  })
}

/** One file sent on its own, without the list of what is coming in. */
export async function sendFile(file: File): Promise<{ path: string; sha256: string }> {
  const there = await known(file)
  return there ? { path: file.name, sha256: there } : send(file, file.name, () => undefined)
}

export const useImports = create<Incoming>((set, get) => {
  const update = (path: string, change: Partial<Item>) =>
    set((state) => ({
      items: state.items.map((item) => (item.path === path ? { ...item, ...change } : item)),
    }))

  const uploadAll = async (files: File[]) => {
    requests = []
    const waiting = files.map((file) => ({ file, path: pathOf(file) }))
    set({
      items: waiting.map(({ path }) => ({ path, sent: 0, state: 'waiting', words: '' })),
      open: true,
      running: true,
      job: null,
    })
    const sent: { path: string; sha256: string }[] = []
    const next = async (): Promise<void> => {
      const one = waiting.shift()
      if (!one || !get().running) return
      update(one.path, { state: 'sending' })
      try {
        const there = await known(one.file)
        if (there) sent.push({ path: one.path, sha256: there })
        else {
          const arrived = await send(one.file, one.path, (share) =>
            update(one.path, { sent: share }),
          )
          sent.push({ path: arrived.path, sha256: arrived.sha256 })
        }
        update(one.path, { state: 'sent', sent: 1, words: labels.waitingToBeMeasured })
      } catch (problem) {
        update(one.path, {
          state: get().running ? 'failed' : 'cancelled',
          words: (problem as Error).message,
        })
      }
      return next()
    }
    await Promise.all(Array.from({ length: PARALLEL }, next))
    return sent
  }

  return {
    items: [],
    job: null,
    open: false,
    running: false,
    bringIn: async (projectId, files, started) => {
      const sent = await uploadAll(files)
      if (!get().running || sent.length === 0) {
        set({ running: false })
        return
      }
      const job = await post('/api/projects/{project_id}/imports', {
        params: { path: { project_id: projectId } },
        body: { files: sent },
      })
      set({ job: job.id })
      started()
    },
    openProject: async (files) => {
      const sent = await uploadAll(files)
      set({ running: false, open: false })
      return post('/api/projects/import', { body: { files: sent } })
    },
    report: (job, outcomes, ended) => {
      if (get().job !== job) return
      const byPath = new Map(outcomes.map((outcome) => [outcome.path, outcome]))
      set((state) => ({
        running: false,
        items: state.items.map((item) => {
          const outcome = byPath.get(item.path)
          if (outcome?.error) return { ...item, state: 'failed', words: outcome.error }
          if (outcome)
            return {
              ...item,
              state: outcome.waits ? 'waits' : 'done',
              words: outcome.outcome ?? '',
            }
          return item.state === 'sent'
            ? {
                ...item,
                state: ended === 'done' ? 'done' : 'cancelled',
                words: ended === 'done' ? '' : 'not imported',
              }
            : item
        }),
      }))
    },
    cancel: () => {
      set({ running: false })
      requests.forEach((request) => request.abort())
      set((state) => ({
        items: state.items.map((item) =>
          item.state === 'waiting' || item.state === 'sending'
            ? { ...item, state: 'cancelled', words: labels.wordStopped }
            : item,
        ),
      }))
    },
    close: () => set({ open: false, items: [] }),
  }
})
