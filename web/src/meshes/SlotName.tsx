import { styled } from '@mui/material/styles'
import { useState } from 'react'

import { LONGEST_NAME } from '../api/tables'
import { labels } from '../words/meshes'

const SlotNameBox = styled('input')({
  width: '100%',
  minWidth: 80,
  padding: '2px 4px',
  border: '1px solid var(--accent)',
  borderRadius: 3,
  background: 'var(--raised)',
  color: 'inherit',
  font: 'inherit',
})

interface Props {
  name: string
  /** The name that was typed, or the one it had, and by how many rows naming goes on. */
  done: (name: string, next: -1 | 0 | 1) => void
}

/** A slot's name while it is typed: Enter keeps it, Tab goes on to the next slot, Escape leaves it as it was. */
export function SlotName({ name, done }: Props) {
  const [text, setText] = useState(name)
  return (
    <SlotNameBox
      // It stands where the name stood that was asked to be changed.
      autoFocus
      aria-label={labels.nameOf(name)}
      value={text}
      maxLength={LONGEST_NAME}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setText(event.target.value)}
      onBlur={() => done(text.trim(), 0)}
      onKeyDown={(event) => {
        if (event.key === 'Enter') done(text.trim(), 0)
        else if (event.key === 'Escape') done(name, 0)
        else if (event.key === 'Tab') {
          event.preventDefault()
          done(text.trim(), event.shiftKey ? -1 : 1)
        }
        event.stopPropagation()
      }}
    />
  )
}
