import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from '@mui/material'
import { useState } from 'react'
import { labels } from '../words/components'

interface Props {
  title: string
  /** The verb on the button; the first word of the title by itself. */
  action?: string
  label: string
  initial: string
  close: () => void
  done: (name: string) => void
  hint?: string
}

/** A dialog that asks for one name. */
export function AskName({ title, action, label, initial, close, done, hint }: Props) {
  const [name, setName] = useState(initial)
  const good = name.trim() !== ''
  return (
    <Dialog open onClose={close} fullWidth maxWidth="xs">
      <form
        onSubmit={(event) => {
          event.preventDefault()
          if (!good) return
          done(name.trim())
          close()
        }}
      >
        <DialogTitle>{title}</DialogTitle>
        <DialogContent>
          <TextField
            autoFocus
            fullWidth
            margin="dense"
            label={label}
            value={name}
            helperText={hint}
            onChange={(event) => setName(event.target.value)}
            onFocus={(event) => event.target.select()}
          />
        </DialogContent>
        <DialogActions>
          <Button onClick={close}>{labels.cancel}</Button>
          <Button type="submit" variant="contained" disabled={!good}>
            {action ?? title.split(' ')[0]}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  )
}
