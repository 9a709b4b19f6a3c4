import {
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  ToggleButton,
  ToggleButtonGroup,
} from '@mui/material'
import { useState } from 'react'

import { Split } from '../components/Split'
import { Picture } from '../components/Picture'

export type Of = (what: 'meant' | 'arrived' | 'difference' | 'over') => string

interface OfCell {
  of: Of
  input: string
}

/** What was meant left of a divider, what arrived right of it. */
export function MadeAndArrived({ of, input }: OfCell) {
  return (
    <Split
      left={{ src: of('meant'), alt: `${input}, meant`, words: 'meant' }}
      right={{ src: of('arrived'), alt: `${input}, arrived`, words: 'arrived' }}
    />
  )
}

/** What the strokes of two shapes over each other mean. */
export function OverWords() {
  return (
    <span className="row wrap" style={{ gap: 8 }}>
      <span className="stroke-meant">only meant</span>
      <span className="stroke-arrived">only arrived</span>
      <span className="stroke-elsewhere">both, but apart</span>
    </span>
  )
}

interface LargeProps extends OfCell {
  title: string
  /** Whether it is of a mesh, whose shapes can be laid over each other. */
  shape: boolean
  /** What black and white stand for in the difference. */
  scale: string
  close: () => void
}

const ZOOMS = [1, 2, 4, 8] as const

/** The pictures of a cell as large as the window, the divider or the difference, with zoom. */
export function LargePictures({ of, input, title, shape, scale, close }: LargeProps) {
  const [zoom, setZoom] = useState<number>(1)
  const [shown, setShown] = useState<'divided' | 'difference' | 'over'>('divided')
  return (
    <Dialog open onClose={close} maxWidth="lg" fullWidth>
      <DialogTitle className="row">
        <span className="grow">{title}</span>
        <ToggleButtonGroup
          size="small"
          exclusive
          value={shown}
          aria-label="What is shown"
          onChange={(_, next: typeof shown | null) => next && setShown(next)}
        >
          <ToggleButton value="divided">meant and arrived</ToggleButton>
          <ToggleButton value="difference">difference</ToggleButton>
          {shape && <ToggleButton value="over">over each other</ToggleButton>}
        </ToggleButtonGroup>
        <ToggleButtonGroup
          size="small"
          exclusive
          value={zoom}
          aria-label="Zoom"
          onChange={(_, next: number | null) => next && setZoom(next)}
        >
          {ZOOMS.map((times) => (
            <ToggleButton key={times} value={times}>
              {times}×
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
      </DialogTitle>
      <DialogContent>
        <div className="large-pictures" tabIndex={0} aria-label="Pictures, to be scrolled">
          {/* At 1× all of a square picture is seen. */}
          <div style={{ width: `min(${zoom * 100}%, ${zoom * 62}vh)`, margin: '0 auto' }}>
            {shown === 'divided' ? (
              <MadeAndArrived of={of} input={input} />
            ) : (
              <figure>
                <Picture src={of(shown)} alt={`${input}, ${shown}`} />
                <figcaption className="small">
                  {shown === 'over' ? <OverWords /> : scale}
                </figcaption>
              </figure>
            )}
          </div>
        </div>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Close</Button>
      </DialogActions>
    </Dialog>
  )
}
