import { useQueryClient } from '@tanstack/react-query'
import { useCallback } from 'react'

import { useProjectId } from '../api/queries'
import { useIncoming } from '../api/imports'
import { useNotices } from '../api/notices'

/** Bring files into the project that is open. */
export function useBringIn() {
  const id = useProjectId()
  const queries = useQueryClient()
  const bringIn = useIncoming((state) => state.bringIn)
  const notice = useNotices((state) => state.say)
  return useCallback(
    (files: File[]) => {
      if (files.length === 0) return
      bringIn(id, files, () => void queries.invalidateQueries({ queryKey: ['jobs', id] })).catch(
        notice,
      )
    },
    [bringIn, id, notice, queries],
  )
}
