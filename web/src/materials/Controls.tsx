import { SliderBox } from '../components/styles'
import { Box, Slider } from '@mui/material'
import { useEffect, useRef, useState } from 'react'

import type { ColourUnit } from './colour'
import { COLOUR_UNITS, colourText, fromHex, readColour, toHex } from './colour'
import { useRemembered } from '../components/remembered'
import type { Limits } from '../components/useTyped'
import { useTyped } from '../components/useTyped'
import { exact } from '../words'
import { labels } from '../words/materials'

interface MoveProps {
  label: string
  value: number
  min?: number
  max: number
  step?: number
  /** What may be typed, which can be more than the slider reaches. */
  limits?: Limits
  attempt: (value: number) => void
  settle: (value: number) => void
}

/** A slider with its number: it shows while it moves, and counts when it is let go. */
export function Move({
  label,
  value,
  min = 0,
  max,
  step = 0.01,
  limits,
  attempt,
  settle,
}: MoveProps) {
  const { typed, setTyped, finish, problem, drop } = useTyped(value, settle, limits)
  return (
    <SliderBox>
      <span>{label}</span>
      <Slider
        aria-label={label}
        value={Math.min(Math.max(value, min), max)}
        min={min}
        max={max}
        step={step}
        onChange={(_, next) => attempt(next as number)}
        onChangeCommitted={(_, next) => settle(next as number)}
      />
      <input
        className="number"
        aria-label={labels.number(label)}
        inputMode="decimal"
        value={typed ?? exact(value, step >= 1 ? 0 : 2)}
        aria-invalid={problem !== null}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={finish}
        onKeyDown={(event) => {
          if (event.key === 'Enter') finish()
          if (event.key === 'Escape') drop()
        }}
        onFocus={(event) => event.target.select()}
      />
      {problem && (
        <span className="small brick refused" role="alert">
          {problem}
        </span>
      )}
    </SliderBox>
  )
}

interface ColourProps {
  label: string
  value: readonly number[]
  attempt: (value: [number, number, number]) => void
  settle: (value: [number, number, number]) => void
}

/** A colour: it shows while it is being chosen, and counts when the browser's own picker closes or the field is left. */
export function ColourPick({ label, value, attempt, settle }: ColourProps) {
  const hex = toHex(value)
  const field = useRef<HTMLInputElement>(null)
  const latest = useRef(settle)
  useEffect(() => {
    latest.current = settle
  })
  useEffect(() => {
    const input = field.current
    // React's change is the browser's input; the browser's change comes once, when a colour has been chosen.
    const chosen = () => input && latest.current(fromHex(input.value))
    input?.addEventListener('change', chosen)
    return () => input?.removeEventListener('change', chosen)
  }, [])
  const [unit, setUnit] = useRemembered<ColourUnit>('colour unit', 'hex')
  const [typed, setTyped] = useState<string | null>(null)
  const [problem, setProblem] = useState<string | null>(null)
  const finish = () => {
    if (typed === null) return
    const read = readColour(typed, unit)
    if (typeof read === 'string') return setProblem(read)
    if (colourText(read, unit) !== colourText(value, unit)) settle(read)
    setTyped(null)
  }
  return (
    <SliderBox>
      <span>{label}</span>
      <Box component="span" className="row" sx={{ gap: 0.75, gridColumn: 'span 2' }}>
        <input
          ref={field}
          type="color"
          className="colour"
          aria-label={labels.srgb(label)}
          value={hex}
          onChange={(event) => attempt(fromHex(event.target.value))}
        />
        <input
          className="number grow"
          aria-label={labels.typed(label)}
          aria-invalid={problem !== null}
          value={typed ?? colourText(value, unit)}
          onChange={(event) => {
            setTyped(event.target.value)
            setProblem(null)
          }}
          onBlur={finish}
          onKeyDown={(event) => {
            if (event.key === 'Enter') finish()
            if (event.key === 'Escape') setTyped(null)
          }}
          onFocus={(event) => event.target.select()}
        />
        <select
          className="small"
          aria-label={labels.numbersAs(label)}
          value={unit}
          onChange={(event) => {
            setTyped(null)
            setProblem(null)
            setUnit(event.target.value as ColourUnit)
          }}
        >
          {COLOUR_UNITS.map((one) => (
            <option key={one.key} value={one.key}>
              {one.words}
            </option>
          ))}
        </select>
      </Box>
      {problem && (
        <span className="small brick refused" role="alert">
          {problem}
        </span>
      )}
    </SliderBox>
  )
}
