import {
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  MenuItem,
  TextField,
} from '@mui/material'
import { useState } from 'react'
import { labels } from '../words/materials'

interface Props {
  title: string
  label: string
  options: string[]
  words?: (option: string) => string
  hint?: string
  close: () => void
  done: (option: string) => void
}

/** A dialog that asks for one of several things. */
export function ChooseOne({
  title,
  label,
  options,
  words = (option) => option,
  hint,
  close,
  done,
}: Props) {
  const [value, setValue] = useState(options[0] ?? '')
  return (
    <Dialog open onClose={close} fullWidth maxWidth="xs">
      <DialogTitle>{title}</DialogTitle>
      <DialogContent>
        <TextField
          select
          fullWidth
          margin="dense"
          label={label}
          value={value}
          helperText={hint}
          onChange={(event) => setValue(event.target.value)}
        >
          {options.map((option) => (
            <MenuItem key={option} value={option}>
              {words(option)}
            </MenuItem>
          ))}
        </TextField>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.cancel}</Button>
        <Button
          variant="contained"
          disabled={options.length === 0}
          onClick={() => {
            done(value)
            close()
          }}
        >
          {title.split(' ')[0]}
        </Button>
      </DialogActions>
    </Dialog>
  )
}
