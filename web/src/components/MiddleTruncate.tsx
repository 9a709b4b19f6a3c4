import { styled } from '@mui/material/styles'
import type { CSSProperties } from 'react'

const Middle = styled('span')({
  display: 'flex',
  minWidth: 0,
  whiteSpace: 'pre',
  '& > :first-child': {
    overflow: 'hidden',
    textOverflow: 'ellipsis',
  },
})

/** Letters of a name's end that are always seen: the end is what tells maps of one set apart. */
const END = 6

/** A name in one line, shortened in the middle where it does not fit; the whole of it on hover. */
export function MiddleTruncate({ name, style }: { name: string; style?: CSSProperties }) {
  const cut = Math.max(Math.floor(name.length / 2), name.length - END)
  return (
    <Middle className="middle" title={name} style={style}>
      <span>{name.slice(0, cut)}</span>
      <span>{name.slice(cut)}</span>
    </Middle>
  )
}
