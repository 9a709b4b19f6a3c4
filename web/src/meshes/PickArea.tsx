import { styled } from '@mui/material/styles'
import type { PointerEvent } from 'react'
import { useEffect, useRef, useState } from 'react'

import type { Faces, Region } from '../viewport/PickIds'
import { usePicker } from '../viewport/PickIds'

const PickAreaBox = styled('div')({
  position: 'absolute',
  inset: 0,
  touchAction: 'none',
  cursor: 'crosshair',
  '& > span': {
    position: 'absolute',
    border: '1px solid var(--raised)',
    outline: '1px solid rgb(0 0 0 / 72%)',
    background: 'rgb(255 255 255 / 12%)',
    pointerEvents: 'none',
  },
  '& > .round': {
    borderRadius: '50%',
  },
})

/** Pixels from the middle of the brush to its edge. */
const BRUSH = 22

interface Props {
  tool: 'box' | 'brush'
  /** Faces that were reached; `also` adds them to what is picked. */
  reach: (faces: Faces, also: boolean) => void
}

/** Lies over the stage while faces are picked by a box or a brush: what is seen there is picked. */
export function PickArea({ tool, reach }: Props) {
  const seenIn = usePicker((state) => state.seenIn)
  const [from, setFrom] = useState<{ x: number; y: number } | null>(null)
  const [at, setAt] = useState<{ x: number; y: number } | null>(null)
  const [turns, setTurns] = useState(false)
  useEffect(() => {
    const held = (event: KeyboardEvent) => {
      if (event.key !== 'Alt') return
      event.preventDefault()
      setTurns(event.type === 'keydown')
    }
    window.addEventListener('keydown', held)
    window.addEventListener('keyup', held)
    return () => {
      window.removeEventListener('keydown', held)
      window.removeEventListener('keyup', held)
    }
  }, [])
  const latest = useRef<{ x: number; y: number } | null>(null)
  // What a quick hand draws before the stage can tell is told when it can.
  const waiting = useRef<[Region, boolean][]>([])
  const ask = (region: Region, also: boolean) => {
    if (seenIn) reach(seenIn(region), also)
    else waiting.current.push([region, also])
  }
  useEffect(() => {
    if (!seenIn) return
    for (const [region, also] of waiting.current.splice(0)) reach(seenIn(region), also)
  }, [reach, seenIn])
  const here = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect()
    return { x: event.clientX - box.left, y: event.clientY - box.top }
  }
  const paint = (point: { x: number; y: number }, also: boolean) => {
    const region = {
      x: point.x - BRUSH,
      y: point.y - BRUSH,
      width: 2 * BRUSH,
      height: 2 * BRUSH,
      radius: BRUSH,
    }
    ask(region, also)
  }
  const box: Region | null =
    tool === 'box' && from && at
      ? {
          x: Math.min(from.x, at.x),
          y: Math.min(from.y, at.y),
          width: Math.abs(at.x - from.x),
          height: Math.abs(at.y - from.y),
        }
      : null
  return (
    <PickAreaBox
      // With Alt held, the stage below is turned and zoomed as always.
      style={turns ? { pointerEvents: 'none' } : undefined}
      data-testid="pick-area"
      aria-hidden
      onPointerDown={(event) => {
        if (event.button !== 0) return
        event.currentTarget.setPointerCapture(event.pointerId)
        const point = here(event)
        setFrom(point)
        setAt(point)
        latest.current = point
        if (tool === 'brush') paint(point, event.shiftKey)
      }}
      onPointerMove={(event) => {
        const point = here(event)
        setAt(point)
        if (!from || tool !== 'brush') return
        // A quick stroke is filled in: no face between two places is missed.
        const last = latest.current ?? point
        const steps = Math.ceil(Math.hypot(point.x - last.x, point.y - last.y) / BRUSH)
        for (let step = 1; step <= steps; step += 1)
          paint(
            {
              x: last.x + ((point.x - last.x) * step) / steps,
              y: last.y + ((point.y - last.y) * step) / steps,
            },
            true,
          )
        latest.current = point
      }}
      onPointerUp={(event) => {
        if (box) ask(box, event.shiftKey)
        setFrom(null)
      }}
      onPointerCancel={() => setFrom(null)}
      onPointerLeave={() => !from && setAt(null)}
    >
      {box && <span style={{ left: box.x, top: box.y, width: box.width, height: box.height }} />}
      {tool === 'brush' && at && (
        <span
          className="round"
          style={{ left: at.x - BRUSH, top: at.y - BRUSH, width: 2 * BRUSH, height: 2 * BRUSH }}
        />
      )}
    </PickAreaBox>
  )
}
