import { styled } from '@mui/material/styles'
import { Alert, Button } from '@mui/material'
import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'

import { ApiError } from '../api/client'
import { useNotices } from '../api/notices'
import { labels } from '../words/shell'

const Notice = styled(Alert)({
  background: 'var(--raised)',
  color: 'var(--ink)',
  borderRadius: 0,
})

/** How long a sentence about what was done stays, in milliseconds. What went wrong stays until it is closed. */
const STAYS = 12_000

/** What went wrong, with the way to mend it where there is one. It has a line of its own at the foot, so that it lies on nothing. */
export function NoticeBar() {
  const { current, clear } = useNotices()
  const queries = useQueryClient()
  const stale = current instanceof ApiError && current.status === 409
  const done = typeof current === 'string'
  useEffect(() => {
    if (!done) return
    const gone = setTimeout(clear, STAYS)
    return () => clearTimeout(gone)
  }, [clear, current, done])
  if (current === null) return null
  const reload = () => {
    void queries.invalidateQueries()
    clear()
  }
  return (
    <Notice
      severity={done ? 'info' : stale ? 'warning' : 'error'}
      variant="outlined"
      action={
        <>
          {stale && <Button onClick={reload}>{labels.loadAgain}</Button>}
          <Button variant="text" onClick={clear}>
            {labels.close}
          </Button>
        </>
      }
    >
      {done ? current : current.message}
    </Notice>
  )
}
