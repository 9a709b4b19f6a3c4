import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'
import type { ReactNode } from 'react'
import { labels } from '../words/components'

interface ConfirmProps {
  title: string
  action: string
  children: ReactNode
  close: () => void
  done: () => void
}

/** Asks before something is taken away, and says what else goes with it. */
export function Confirm({ title, action, children, close, done }: ConfirmProps) {
  const confirmed = () => {
    close()
    done()
  }
  return (
    <Dialog open onClose={close} fullWidth maxWidth="xs">
      <DialogTitle>{title}</DialogTitle>
      <DialogContent>{children}</DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.cancel}</Button>
        <Button variant="contained" autoFocus onClick={confirmed}>
          {action}
        </Button>
      </DialogActions>
    </Dialog>
  )
}
