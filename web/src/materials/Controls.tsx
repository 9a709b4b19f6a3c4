import { Slider } from '@mui/material'

import { fromHex, toHex } from './colour'
import { useTyped } from './useTyped'

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
      <Slider aria-label={label} value={Math.min(Math.max(value, min), max)} min={min} max={max} step={step} onChange={(_, next) => attempt(next as number)} onChangeCommitted={(_, next) => settle(next as number)} />
      <input
        className="number" aria-label={`${label}, number`} inputMode="decimal" value={typed ?? value.toFixed(step >= 1 ? 0 : 2)}
        onChange={(event) => setTyped(event.target.value)} onBlur={finish} onKeyDown={(event) => event.key === 'Enter' && finish()} onFocus={(event) => event.target.select()}
      />
    </div>
  )
}

export function ColourPick({ label, value, attempt, settle }: { label: string; value: readonly number[]; attempt: (value: [number, number, number]) => void; settle: (value: [number, number, number]) => void }) {
  const hex = toHex(value)
  return (
    <div className="slider">
      <span>{label}</span>
      <input type="color" aria-label={`${label}, sRGB`} value={hex} style={{ width: 72, height: 24, padding: 0, border: '1px solid var(--strong)' }} onChange={(event) => attempt(fromHex(event.target.value))} onBlur={() => settle([value[0]!, value[1]!, value[2]!])} />
      <span className="mono">{hex}</span>
    </div>
  )
}
