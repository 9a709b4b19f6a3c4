import { Checkbox, FormControlLabel } from '@mui/material'

interface TickProps {
  label: string
  on: boolean
  set: (on: boolean) => void
}

/** A box to tick, with its label. */
export function Tick({ label, on, set }: TickProps) {
  return (
    <FormControlLabel
      label={label}
      control={<Checkbox checked={on} onChange={(event) => set(event.target.checked)} />}
    />
  )
}
