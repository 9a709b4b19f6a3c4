import { styled } from '@mui/material/styles'
import { Box, Button } from '@mui/material'
import { useState } from 'react'
import type { ReactNode } from 'react'
import { useEdit } from '../api/changes'
import type { Feed, Row } from '../api/types'
import { curve } from './feed'
import { Layers } from './Layers'
import { Placing } from './Placing'
import { labels } from '../words/materials'
import { OfConstant, OfMap } from './Adjustments'
import { ViewActions, FeedActions } from './FeedActions'

const AdjustBox = styled('div')({
  display: 'grid',
  gridTemplateColumns: '156px minmax(0, 1fr)',
  gap: 24,
  padding: '12px 14px 14px 112px',
  background: 'var(--raised)',
  borderBottom: '1px solid var(--line)',
})

interface Props {
  material: string
  row: Row
  feed: Feed
  derived: boolean
  solo: boolean
  tryFeed: (feed: Feed) => void
  commit: (feed: Feed | null) => void
  drop: () => void
  toggleSolo: () => void
  compare: () => void
}

/** What changes a feed, under its row: every control shows its effect while it moves, and is one step to undo when let go. */
export function Adjust({
  material,
  row,
  feed: saved,
  derived,
  solo,
  tryFeed,
  commit,
  drop,
  toggleSolo,
  compare,
}: Props) {
  const [moving, setMoving] = useState<Feed | null>(null)
  const feed = moving ?? saved
  const attempt = (change: Partial<Feed>) => {
    const next = { ...feed, ...change }
    setMoving(next)
    tryFeed(next)
  }
  const settle = (change: Partial<Feed>) => {
    setMoving(null)
    const next = { ...feed, ...change }
    // Against what the document says: what the page shows may be a draft that was never saved.
    if (JSON.stringify(next) === JSON.stringify(saved)) drop()
    else commit(next)
  }
  const handlers = { feed, attempt, settle }
  const isMap = feed.map != null
  const clipped = row.gives?.clipped ?? 0
  return (
    <AdjustBox className="adjust">
      <Box sx={{ display: 'grid', gap: 0.75, alignContent: 'start' }}>
        <Curve row={row} feed={feed} />
        {clipped > 0.0005 && (
          <span className="small amber">{labels.clipped((100 * clipped).toFixed(1))}</span>
        )}
      </Box>
      <Box sx={{ display: 'grid', gap: 0.5, alignContent: 'start' }}>
        {row.gives?.suggestion && (
          <p className="small amber">
            △ {row.gives.suggestion}{' '}
            <button className="link" onClick={() => settle({ invert: !feed.invert })}>
              {labels.invertIt}
            </button>
          </p>
        )}
        {isMap ? (
          <OfMap row={row} saved={saved} {...handlers} />
        ) : (
          <OfConstant row={row} {...handlers} />
        )}
        {isMap && <UvPlacement material={material} row={row} saved={saved} />}
        <Layers input={row.input} feed={feed} attempt={attempt} settle={settle} />
        <Box className="row wrap" sx={{ marginTop: 0.5 }}>
          <ViewActions
            material={material}
            row={row}
            isMap={isMap}
            solo={solo}
            toggleSolo={toggleSolo}
            compare={compare}
          />
          <FeedActions
            material={material}
            row={row}
            saved={saved}
            feed={feed}
            derived={derived}
            settle={settle}
            commit={commit}
          />
        </Box>
      </Box>
    </AdjustBox>
  )
}

function UvPlacement({ material, row, saved }: { material: string; row: Row; saved: Feed }) {
  const [open, setOpen] = useState(Boolean(saved.uv ?? saved.wrap))
  const edit = useEdit()
  const placing = { kind: 'place-feed', material, input: row.input } as const
  return (
    <>
      <button className="link" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? labels.closeUvPlacement : labels.uvPlacement}
      </button>
      {open && (
        <Box sx={{ display: 'grid', gap: 1.5, margin: '6px 0' }}>
          <Placing
            uv={row.place.uv}
            wrap={row.place.wrap}
            set={(part, value) => void edit({ ...placing, part, value })}
          />
          {(saved.uv || saved.wrap) && (
            <span>
              <Button
                onClick={() =>
                  void edit(
                    { ...placing, part: 'uv', value: null },
                    { ...placing, part: 'wrap', value: null },
                  )
                }
              >
                {labels.asTheMaterials}
              </Button>
            </span>
          )}
        </Box>
      )}
    </>
  )
}

const STEPS = 48

/** The transfer curve of a feed over the histogram of what it gives. */
function Curve({ row, feed }: { row: Row; feed: Feed }): ReactNode {
  const values = row.gives?.histogram ?? []
  const top = Math.max(...values, 1e-9)
  const y = (value: number) => 100 - 100 * Math.min(1, Math.max(0, value))
  const points = Array.from(
    { length: STEPS + 1 },
    (_, i) => `${(148 * i) / STEPS},${y(curve(feed, i / STEPS)).toFixed(1)}`,
  ).join(' ')
  return (
    <svg
      viewBox="0 0 148 100"
      width={148}
      height={100}
      role="img"
      aria-label={labels.curveInWords(curve(feed, 0).toFixed(2), curve(feed, 1).toFixed(2))}
      style={{ border: '1px solid var(--line)', background: 'var(--surface)' }}
    >
      {values.map((value, index) => {
        const tall = Math.sqrt(value / top) * 92
        return (
          <rect
            key={index}
            x={(index * 148) / values.length}
            width={148 / values.length - 0.8}
            y={100 - tall}
            height={tall}
            fill="var(--strong)"
          />
        )
      })}
      {row.input !== 'normal' && (
        <polyline points={points} fill="none" stroke="var(--accent)" strokeWidth={2} />
      )}
    </svg>
  )
}
