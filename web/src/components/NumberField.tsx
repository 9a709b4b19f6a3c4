import { TextField } from '@mui/material'

import { exact } from '../words'
import type { Limits } from './useTyped'
import { useTyped } from './useTyped'

interface Props {
  label: string
  value: number
  done: (value: number) => void
  limits?: Limits
}

/** A number that counts once it is left, or Enter is pressed. */
export function NumberField({ label, value, done, limits }: Props) {
  const { typed, setTyped, finish, problem, drop } = useTyped(value, done, limits)
  return (
    <TextField
      label={label}
      value={typed ?? exact(value)}
      error={problem !== null}
      helperText={problem}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={finish}
      onKeyDown={(event) => {
        if (event.key === 'Enter') finish()
        if (event.key === 'Escape') drop()
      }}
      slotProps={{ htmlInput: { inputMode: 'decimal' } }}
    />
  )
}
