// A material while one of its controls is being moved: shown at once, saved when it is let go, one step to undo.
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'

import { useEdit } from '../api/changes'
import { trySheet, useProject, useProjectId, useSheet } from '../api/queries'
import { feedOf, settingOf } from '../api/optimistic'
import type { Cover, Document, Feed, InputName, Material, Sheet } from '../api/types'
import { useNotices } from '../api/notices'

export function useDraft(name: string | null) {
  const id = useProjectId()
  const project = useProject().data
  const saved = useSheet(name)
  const edit = useEdit()
  const notice = useNotices((state) => state.say)
  const [draft, setDraft] = useState<{ revision: number; name: string; sheet: Sheet } | null>(null)
  const next = useRef<Material | null>(null)
  const asking = useRef(false)
  // Counts how often a draft was given up: what is answered after that is old.
  const givenUp = useRef(0)
  const revision = project?.revision
  const document = project?.document

  const ask = useCallback(async () => {
    if (asking.current || !name || revision === undefined) return
    asking.current = true
    try {
      while (next.current) {
        const entry = next.current
        next.current = null
        const before = givenUp.current
        const sheet = await trySheet(id, name, entry)
        if (before === givenUp.current) setDraft({ revision, name, sheet })
      }
    } catch (problem) {
      notice(problem as Error)
    } finally {
      asking.current = false
    }
  }, [id, name, notice, revision])

  const entry = name ? document?.materials?.[name] : undefined
  const tryFeed = useCallback(
    (input: InputName, feed: Feed) => {
      if (!entry) return
      next.current = { ...entry, inputs: { ...entry.inputs, [input]: feed } }
      void ask()
    },
    [ask, entry],
  )
  const tryCovers = useCallback(
    (covers: Cover[]) => {
      if (!entry) return
      next.current = { ...entry, covers }
      void ask()
    },
    [ask, entry],
  )
  const drop = useCallback(() => {
    next.current = null
    givenUp.current += 1
    setDraft(null)
  }, [])
  const commit = useCallback(
    (input: InputName, feed: Feed | null) => {
      next.current = null
      if (!name) return
      const before = document && feedOf(document, name, input)
      const change = before && feed && changed(before, feed)
      if (change && Object.keys(change).length === 0) {
        drop()
        return
      }
      // Where there is a feed only what is changed of it is stated, so that nothing else of it is overwritten.
      const stated = change
        ? { kind: 'change-feed' as const, material: name, input, change }
        : { kind: 'set-feed' as const, material: name, input, feed }
      void edit(stated).then((done) => done === null && drop())
    },
    [document, drop, edit, name],
  )
  const commitCovers = useCallback(
    (covers: Cover[]) => {
      next.current = null
      if (!name || !document) return
      const before = settingOf(document, name, 'covers') ?? []
      if (JSON.stringify(before) === JSON.stringify(covers)) {
        drop()
        return
      }
      const stated = { kind: 'set-setting', material: name, setting: 'covers' } as const
      void edit({ ...stated, value: covers }).then((done) => done === null && drop())
    },
    [document, drop, edit, name],
  )
  useEffect(
    () => () => {
      next.current = null
    },
    [name],
  )

  const stated = useMemo(
    () => (saved.data && document && name ? withStated(saved.data, document, name) : saved.data),
    [document, name, saved.data],
  )
  // A draft holds until the saved sheet of a newer revision is there.
  const current =
    draft && draft.name === name && (draft.revision === revision || saved.isPlaceholderData)
      ? draft.sheet
      : stated
  return {
    sheet: current,
    document,
    error: saved.error,
    tryFeed,
    commit,
    tryCovers,
    commitCovers,
    drop,
  }
}

/** What is otherwise in a feed than it was; fields that are given back to their default are null. */
function changed(before: Feed, after: Feed): Record<string, unknown> {
  const keys = [...new Set([...Object.keys(before), ...Object.keys(after)])] as (keyof Feed)[]
  const differs = keys.filter(
    (key) => JSON.stringify(before[key] ?? null) !== JSON.stringify(after[key] ?? null),
  )
  return Object.fromEntries(differs.map((key) => [key, after[key] ?? null]))
}

/** A sheet whose feeds and settings are those of the document: what was computed from the older ones follows. */
function withStated(sheet: Sheet, document: Document, name: string): Sheet {
  const rows = sheet.rows.map((row) => {
    const feed = feedOf(document, name, row.input)
    return feed
      ? { ...row, feed, own: document.materials?.[name]?.inputs?.[row.input] !== undefined }
      : row
  })
  const settings = {
    alpha_mode: settingOf(document, name, 'alpha_mode') ?? 'opaque',
    alpha_cutoff: settingOf(document, name, 'alpha_cutoff') ?? 0.5,
    double_sided: settingOf(document, name, 'double_sided') ?? false,
    filter: settingOf(document, name, 'filter') ?? 'linear',
    uv: settingOf(document, name, 'uv') ?? {},
  }
  const tag = settingOf(document, name, 'surface_tag') ?? null
  const limit = settingOf(document, name, 'size_limit') ?? null
  return {
    ...sheet,
    rows,
    surface_tag: tag,
    size_limit: limit,
    covers: settingOf(document, name, 'covers') ?? [],
    stage: { ...sheet.stage, ...settings } as Sheet['stage'],
  }
}
