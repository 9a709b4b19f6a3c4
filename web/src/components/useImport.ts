import { useQueryClient } from '@tanstack/react-query'
import { useCallback } from 'react'

import { useProjectId } from '../api/queries'
import { useImports } from '../api/imports'
import { useNotices } from '../api/notices'

/** Bring files into the project that is open. */
export function useImport() {
  const id = useProjectId()
  const queries = useQueryClient()
  const bringIn = useImports((state) => state.bringIn)
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
