import { Box } from '@mui/material'
import type { PointerEvent, ReactNode } from 'react'
import { labels } from '../words/viewport'

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
      <div
        className="divider"
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
      <Box component="span" className="stage-note" sx={{ bottom: 44 }}>
        {words[0]}
      </Box>
      <Box component="span" className="stage-note" sx={{ left: 'auto', right: 12, bottom: 44 }}>
        {words[1]}
      </Box>
    </>
  )
}
