import { StageTrouble } from './styles'
import { styled } from '@mui/material/styles'
import { useEffect, useLayoutEffect, useRef, useState } from 'react'
import type { ReactNode } from 'react'

import { BACKDROPS } from '../theme'
import type { Shown } from './sharedCanvas'
import { useSharedCanvas } from './sharedCanvas'
import type { Pose } from './pose'
import { drawing } from './software'
import { StageCanvas } from './StageCanvas'
import { useView } from './view'
import { labels } from '../words/viewport'

const StageComing = styled('p')({
  position: 'absolute',
  left: 10,
  top: 46,
  margin: 0,
  padding: '3px 8px',
  borderRadius: 3,
  background: 'var(--raised)',
  fontSize: 11.5,
  pointerEvents: 'none',
})

const StageCanvasBox = styled('div')({
  position: 'absolute',
  inset: 0,
})

const NO_DRAWING = labels.thisBrowserDrawsNothingIn3d + labels.everythingBesideTheStageWorksWithout

interface Props {
  children: ReactNode
  size: number
  label: string
  pose?: Pose
  framed?: boolean
  /** Whether all is there that is to be seen beside it, and what it wears. */
  ready?: boolean
}

/** The stage: whatever is put on it, under the chosen light, to be turned and moved round. */
export function Stage({ children, size, label, pose, framed, ready = true }: Props) {
  const box = useRef<HTMLDivElement>(null)
  const draws = drawing() !== 'none'
  useKeptCanvas(box, ready && draws, { children, size, pose, framed })
  const [failed] = Object.values(useSharedCanvas((state) => state.troubles))
  const late = useSharedCanvas((state) => state.late.length > 0)
  const trouble = draws ? failed : NO_DRAWING
  return (
    <Ground ref={box} label={label} name="stage">
      {trouble && <StageTrouble role="status">{trouble}</StageTrouble>}
      {late && !trouble && <StageComing role="status">{labels.mapsAreOnTheirWay}</StageComing>}
    </Ground>
  )
}

/** A second stage, seen from the pose of the first. */
export function FollowingStage({ children, size, label, pose }: Props & { pose: Pose }) {
  return (
    <Ground label={label} name="stage-compared">
      {drawing() !== 'none' && (
        <StageCanvas size={size} pose={pose} follows>
          {children}
        </StageCanvas>
      )}
    </Ground>
  )
}

function Ground({
  children,
  label,
  name,
  ref,
}: {
  children: ReactNode
  label: string
  name: string
  ref?: React.Ref<HTMLDivElement>
}) {
  const backdrop = useView((state) => state.backdrop)
  return (
    <StageCanvasBox
      ref={ref}

      style={{ background: BACKDROPS[backdrop] }}
      role="img"
      aria-label={label}
      data-testid={name}
    >
      {children}
    </StageCanvasBox>
  )
}

/** Brings the session's canvas into the box, with these things on it, for as long as the box is there.
 * Only once all round it is painted: without a graphics card drawing holds the page up. */
function useKeptCanvas(box: React.RefObject<HTMLDivElement | null>, ready: boolean, shown: Shown) {
  const { element, show, fail } = useSharedCanvas.getState()
  const painted = usePainted(ready)
  useLayoutEffect(() => {
    if (!painted) return
    box.current!.prepend(element)
    return () => {
      element.remove()
      show(null)
      fail('drawing', null)
    }
  }, [box, element, fail, painted, show])
  useLayoutEffect(() => {
    if (painted) show(shown)
  })
}

/** Whether the page has been painted since it was ready. */
function usePainted(ready: boolean): boolean {
  const [painted, setPainted] = useState(false)
  useEffect(() => {
    if (!ready) return
    let after: ReturnType<typeof setTimeout>
    const frame = requestAnimationFrame(() => {
      after = setTimeout(() => setPainted(true))
    })
    return () => {
      cancelAnimationFrame(frame)
      clearTimeout(after)
    }
  }, [ready])
  return painted
}
