import { styled } from '@mui/material/styles'
import {
  Box,
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
import { labels } from '../words/export'

/** The strokes of two shapes over each other, as `trial/overlay.py` draws them. */
const STROKES = {
  meant: 'repeating-linear-gradient(#6bc4bd 0 4px, #4b8984 4px 6px)',
  arrived: 'repeating-linear-gradient(135deg, #e6a840 0 3px, #a1762d 3px 5px)',
  elsewhere:
    'repeating-linear-gradient(#8b3a30 0 2px, transparent 2px 6px), repeating-linear-gradient(90deg, #8b3a30 0 2px, #c75245 2px 6px)',
}

const Stroke = styled('span')<{ of: keyof typeof STROKES }>(({ of }) => ({
  '&::before': {
    content: "''",
    display: 'inline-block',
    width: 14,
    height: 14,
    marginRight: 5,
    verticalAlign: -2,
    border: '1px solid var(--strong)',
    background: STROKES[of],
  },
}))

const LargePicturesBox = styled('div')({
  overflow: 'auto',
  maxHeight: '70vh',
  '& img': {
    width: '100%',
    imageRendering: 'pixelated',
  },
})

export type Of = (what: 'meant' | 'arrived' | 'difference' | 'over') => string

interface OfCell {
  of: Of
  input: string
}

/** What was meant left of a divider, what arrived right of it. */
export function MadeAndArrived({ of, input }: OfCell) {
  return (
    <Split
      left={{ src: of('meant'), alt: labels.meant(input), words: labels.wordExpected }}
      right={{ src: of('arrived'), alt: labels.arrived(input), words: labels.wordArrived }}
    />
  )
}

/** What the strokes of two shapes over each other mean. */
export function OverWords() {
  return (
    <Box component="span" className="row wrap" sx={{ gap: 1 }}>
      <Stroke of="meant">{labels.onlyMeant}</Stroke>
      <Stroke of="arrived">{labels.onlyArrived}</Stroke>
      <Stroke of="elsewhere">{labels.bothButApart}</Stroke>
    </Box>
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
          aria-label={labels.whatIsShown}
          onChange={(_, next: typeof shown | null) => next && setShown(next)}
        >
          <ToggleButton value="divided">{labels.meantAndArrived}</ToggleButton>
          <ToggleButton value="difference">{labels.difference}</ToggleButton>
          {shape && <ToggleButton value="over">{labels.overEachOther}</ToggleButton>}
        </ToggleButtonGroup>
        <ToggleButtonGroup
          size="small"
          exclusive
          value={zoom}
          aria-label={labels.zoom}
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
        <LargePicturesBox tabIndex={0} aria-label={labels.picturesToBeScrolled}>
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
        </LargePicturesBox>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.close}</Button>
      </DialogActions>
    </Dialog>
  )
}
