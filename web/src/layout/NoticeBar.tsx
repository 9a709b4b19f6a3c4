import { Alert, Button, Snackbar } from '@mui/material'
import { useQueryClient } from '@tanstack/react-query'

import { ApiError } from '../api/client'
import { useNotices } from '../api/notices'

/** What went wrong, with the way to mend it where there is one. */
export function NoticeBar() {
  const { current, clear } = useNotices()
  const queries = useQueryClient()
  const stale = current instanceof ApiError && current.status === 409
  const reload = () => {
    void queries.invalidateQueries()
    clear()
  }
  return (
    <Snackbar
      open={current !== null}
      anchorOrigin={{ vertical: 'bottom', horizontal: 'center' }}
      sx={{ bottom: '40px !important' }}
    >
      <Alert
        severity={typeof current === 'string' ? 'info' : stale ? 'warning' : 'error'}
        variant="outlined"
        onClose={clear}
        sx={{ background: 'var(--raised)', color: 'var(--ink)', maxWidth: 720 }}
        action={
          <>
            {stale && <Button onClick={reload}>Load again</Button>}
            <Button variant="text" onClick={clear}>
              Close
            </Button>
          </>
        }
      >
        {typeof current === 'string' ? current : current?.message}
      </Alert>
    </Snackbar>
  )
}
