import { Divided } from './styles'
import { Box } from '@mui/material'
import { useState } from 'react'

import { Picture } from './Picture'
import { labels } from '../words/components'

export interface Side {
  src: string
  alt: string
  /** What stands under it. */
  words: string
}

interface Props {
  left: Side
  right: Side
  /** Between the words of both sides. */
  middle?: string
}

/** One picture left of a divider, another right of it; it is moved by dragging, or with the arrow keys. */
export function Split({ left, right, middle }: Props) {
  const [at, setAt] = useState(50)
  return (
    <figure>
      <Divided>
        <Picture src={right.src} alt={right.alt} />
        <Picture src={left.src} alt={left.alt} style={{ clipPath: `inset(0 ${100 - at}% 0 0)` }} />
        <span style={{ left: `${at}%` }} />
        <input
          type="range"
          min={0}
          max={100}
          value={at}
          aria-label={labels.dividerBetweenAnd(
            left.words,
            right.words,
            middle ? `: ${middle}` : '',
          )}
          onChange={(event) => setAt(Number(event.target.value))}
        />
      </Divided>
      <figcaption className="small row">
        <span>◂ {left.words}</span>
        <Box component="span" className="grow" sx={{ textAlign: 'center' }}>
          {middle}
        </Box>
        <span>{right.words} ▸</span>
      </figcaption>
    </figure>
  )
}
