import { styled } from '@mui/material/styles'
import { StageNote } from './styles'
import type { PointerEvent, ReactNode } from 'react'
import { labels } from '../words/viewport'

const DividerBox = styled('div')({
  position: 'absolute',
  top: 0,
  bottom: 0,
  width: 15,
  marginLeft: -7,
  cursor: 'col-resize',
  touchAction: 'none',
  background: 'linear-gradient(to right, transparent 7px, var(--raised) 7px 8px, transparent 8px)',
})

interface Props {
  /** Where it stands, 0 left to 1 right. */
  split: number
  setSplit: (split: number) => void
  /** What is left and right of it. */
  words: readonly [string, string]
  /** What is seen right of it. */
  children: ReactNode
}

const within = (split: number) => Math.min(0.95, Math.max(0.05, split))

/** A second stage over the first, right of a divider that is dragged or moved with the arrow keys. */
export function Divider({ split, setSplit, words, children }: Props) {
  const drag = (event: PointerEvent<HTMLDivElement>) => {
    if (event.buttons !== 1) return
    const box = event.currentTarget.parentElement!.getBoundingClientRect()
    setSplit(within((event.clientX - box.left) / box.width))
  }
  return (
    <>
      <div
        style={{
          position: 'absolute',
          inset: 0,
          clipPath: `inset(0 0 0 ${split * 100}%)`,
          pointerEvents: 'none',
        }}
      >
        {children}
      </div>
      <DividerBox
        role="slider"
        tabIndex={0}
        aria-label={labels.dividerBetweenTheTwo}
        aria-valuenow={Math.round(split * 100)}
        aria-valuemin={5}
        aria-valuemax={95}
        style={{ left: `${split * 100}%` }}
        onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
        onPointerMove={drag}
        onKeyDown={(event) => {
          const by = { ArrowLeft: -0.05, ArrowRight: 0.05 }[event.key]
          if (by) setSplit(within(split + by))
        }}
      />
      <StageNote sx={{ bottom: 44 }}>{words[0]}</StageNote>
      <StageNote sx={{ left: 'auto', right: 12, bottom: 44 }}>{words[1]}</StageNote>
    </>
  )
}
