// A material while one of its controls is being moved: shown at once, saved when it is let go, one step to undo.
import { useCallback, useEffect, useRef, useState } from 'react'

import { trySheet, useEdit, useProject, useProjectId, useSheet } from '../api/queries'
import type { Feed, InputName, Material, Sheet } from '../api/types'
import { useNotices } from '../layout/notices'

export function useDraft(name: string | null) {
  const id = useProjectId()
  const project = useProject().data
  const saved = useSheet(name)
  const edit = useEdit()
  const notice = useNotices((state) => state.say)
  const [draft, setDraft] = useState<{ revision: number; name: string; sheet: Sheet } | null>(null)
  const next = useRef<Material | null>(null)
  const asking = useRef(false)
  const revision = project?.revision

  const ask = useCallback(async () => {
    if (asking.current || !name || revision === undefined) return
    asking.current = true
    try {
      while (next.current) {
        const entry = next.current
        next.current = null
        const sheet = await trySheet(id, name, entry)
        setDraft({ revision, name, sheet })
      }
    } catch (problem) {
      notice(problem as Error)
    } finally {
      asking.current = false
    }
  }, [id, name, notice, revision])

  const entry = name ? project?.document.materials?.[name] : undefined
  const tryFeed = useCallback((input: InputName, feed: Feed) => {
    if (!entry) return
    next.current = { ...entry, inputs: { ...entry.inputs, [input]: feed } }
    void ask()
  }, [ask, entry])
  const commit = useCallback((input: InputName, feed: Feed | null) => {
    next.current = null
    if (!name) return
    void edit({ kind: 'set-feed', material: name, input, feed }).then((done) => done === null && setDraft(null))
  }, [edit, name])
  useEffect(() => () => {
    next.current = null
  }, [name])

  // A draft holds until the saved sheet of a newer revision is there.
  const current = draft && draft.name === name && (draft.revision === revision || saved.isPlaceholderData) ? draft.sheet : saved.data
  return { sheet: current, error: saved.error, tryFeed, commit }
}
