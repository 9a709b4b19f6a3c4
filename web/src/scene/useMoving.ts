import { useCallback, useRef, useState } from 'react'

import { useEdit } from '../api/changes'
import type { SceneItem } from '../api/types'

type Change = Partial<Omit<SceneItem, 'mesh'>>

/** Changes of a thing while a hand holds it: seen at once, and one edit when it lets go. */
export function useMoving() {
  const edit = useEdit()
  const [moving, setMoving] = useState<{ item: string; change: Change } | null>(null)
  const latest = useRef(moving)
  const move = useCallback((item: string, change: Change) => {
    const before = latest.current?.item === item ? latest.current.change : {}
    latest.current = { item, change: { ...before, ...change } }
    setMoving(latest.current)
  }, [])
  const settle = useCallback(() => {
    const last = latest.current
    if (!last) return
    latest.current = null
    // The edit is in the document that is shown before the held change is gone: nothing jumps back.
    void edit({ kind: 'move-item', item: last.item, change: last.change })
    setMoving(null)
  }, [edit])
  return { moving, move, settle }
}
