import { TextField } from '@mui/material'

import { useTyped } from './useTyped'

interface Props {
  label: string
  value: number
  done: (value: number) => void
}

/** A number that counts once it is left, or Enter is pressed. */
export function NumberField({ label, value, done }: Props) {
  const { typed, setTyped, finish } = useTyped(value, done)
  return (
    <TextField
      label={label}
      value={typed ?? String(Number(value.toFixed(4)))}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={finish}
      onKeyDown={(event) => event.key === 'Enter' && finish()}
      slotProps={{ htmlInput: { inputMode: 'decimal' } }}
    />
  )
}
