import { Slider } from '@mui/material'
import { useEffect, useRef } from 'react'

import { fromHex, toHex } from './colour'
import { useTyped } from '../components/useTyped'

interface MoveProps {
  label: string
  value: number
  min?: number
  max: number
  step?: number
  attempt: (value: number) => void
  settle: (value: number) => void
}

/** A slider with its number: it shows while it moves, and counts when it is let go. */
export function Move({ label, value, min = 0, max, step = 0.01, attempt, settle }: MoveProps) {
  const { typed, setTyped, finish } = useTyped(value, settle)
  return (
    <div className="slider">
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
        aria-label={`${label}, number`}
        inputMode="decimal"
        value={typed ?? value.toFixed(step >= 1 ? 0 : 2)}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={finish}
        onKeyDown={(event) => event.key === 'Enter' && finish()}
        onFocus={(event) => event.target.select()}
      />
    </div>
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
  return (
    <div className="slider">
      <span>{label}</span>
      <input
        ref={field}
        type="color"
        className="colour"
        aria-label={`${label}, sRGB`}
        value={hex}
        onChange={(event) => attempt(fromHex(event.target.value))}
      />
      <span className="mono">{hex}</span>
    </div>
  )
}
