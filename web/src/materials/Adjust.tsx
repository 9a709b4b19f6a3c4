import { Button, Checkbox, FormControlLabel, Slider } from '@mui/material'
import { useState } from 'react'
import type { ReactNode } from 'react'

import type { Feed, InputName, Row } from '../api/types'
import { fromHex, toHex } from './colour'

const COLOURS: InputName[] = ['base_color', 'emission']
const STRENGTHS: Partial<Record<InputName, [string, number]>> = { normal: ['Strength', 2], occlusion: ['Strength', 1], emission: ['Strength', 10], height: ['Strength', 1] }

interface Props {
  row: Row
  feed: Feed
  derived: boolean
  solo: boolean
  tryFeed: (feed: Feed) => void
  commit: (feed: Feed | null) => void
  toggleSolo: () => void
}

/** What changes a feed, under its row: every control shows its effect while it moves, and is one step to undo when let go. */
export function Adjust({ row, feed: saved, derived, solo, tryFeed, commit, toggleSolo }: Props) {
  const [moving, setMoving] = useState<Feed | null>(null)
  const feed = moving ?? saved
  const attempt = (change: Partial<Feed>) => {
    const next = { ...feed, ...change }
    setMoving(next)
    tryFeed(next)
  }
  const settle = (change: Partial<Feed>) => {
    setMoving(null)
    if (JSON.stringify({ ...feed, ...change }) === JSON.stringify(saved)) return
    commit({ ...feed, ...change })
  }
  const [low, high] = feed.range ?? [0, 1]
  const isColour = COLOURS.includes(row.input)
  const isConstant = feed.map == null
  const strength = STRENGTHS[row.input]
  return (
    <div className="adjust">
      <Curve row={row} feed={feed} />
      <div style={{ display: 'grid', gap: 4, alignContent: 'start' }}>
        {isConstant && typeof feed.value === 'number' && (
          <Move label="Value" value={feed.value} max={1} attempt={(value) => attempt({ value })} settle={(value) => settle({ value })} />
        )}
        {isConstant && isColour && (
          <ColourPick label="Colour" value={Array.isArray(feed.value) ? feed.value : [0, 0, 0]} attempt={(value) => attempt({ value })} settle={(value) => settle({ value })} />
        )}
        {!isConstant && row.input !== 'normal' && (
          <>
            <Move label="Low" value={low} max={1} attempt={(value) => attempt({ range: [value, high] })} settle={(value) => settle({ range: [value, high] })} />
            <Move label="High" value={high} max={1} attempt={(value) => attempt({ range: [low, value] })} settle={(value) => settle({ range: [low, value] })} />
          </>
        )}
        {isColour && !isConstant && (
          <ColourPick label="Tint" value={feed.tint ?? [1, 1, 1]} attempt={(tint) => attempt({ tint })} settle={(tint) => settle({ tint })} />
        )}
        {strength && <Move label={strength[0]} value={feed.strength ?? 1} max={strength[1]} attempt={(value) => attempt({ strength: value })} settle={(value) => settle({ strength: value })} />}
        {!isConstant && row.input !== 'normal' && (
          <FormControlLabel
            sx={{ ml: 0, gap: 0.5, '& .MuiFormControlLabel-label': { fontSize: 13 } }} label={row.input === 'roughness' ? 'Invert: the map holds gloss' : 'Invert'}
            control={<Checkbox sx={{ p: 0.25 }} checked={feed.invert ?? false} onChange={(event) => settle({ invert: event.target.checked })} />}
          />
        )}
        <div className="row wrap" style={{ marginTop: 4 }}>
          <Button aria-pressed={solo} onClick={toggleSolo}>{solo ? 'Show lit' : 'See alone'}</Button>
          {(changed(feed)) && <Button onClick={() => settle({ invert: false, range: [0, 1], tint: [1, 1, 1], strength: 1 })}>Reset adjustments</Button>}
          {row.own && <Button onClick={() => commit(null)}>{derived ? 'Give back' : 'Clear'}</Button>}
          {derived && <span className="small">{row.own ? 'own value; its base keeps another' : `inherited from ${row.origin ?? 'the default'}`}</span>}
        </div>
      </div>
    </div>
  )
}

const changed = (feed: Feed) =>
  feed.invert || (feed.strength ?? 1) !== 1 || (feed.range ?? [0, 1]).join() !== '0,1' || (feed.tint ?? [1, 1, 1]).join() !== '1,1,1'

/** The transfer curve of a feed over the histogram of what it gives. */
function Curve({ row, feed }: { row: Row; feed: Feed }): ReactNode {
  const values = row.gives?.histogram ?? []
  const top = Math.max(...values, 1e-9)
  const [low, high] = feed.range ?? [0, 1]
  const [from, to] = feed.invert ? [high, low] : [low, high]
  const y = (value: number) => 100 - 100 * Math.min(1, Math.max(0, value))
  return (
    <svg viewBox="0 0 148 100" width={148} height={100} role="img" aria-label={`From ${from.toFixed(2)} to ${to.toFixed(2)}`} style={{ border: '1px solid var(--line)', background: 'var(--surface)' }}>
      {values.map((value, index) => {
        const tall = Math.sqrt(value / top) * 92
        return <rect key={index} x={(index * 148) / values.length} width={148 / values.length - 0.8} y={100 - tall} height={tall} fill="var(--strong)" />
      })}
      {row.input !== 'normal' && <line x1={0} y1={y(from)} x2={148} y2={y(to)} stroke="var(--accent)" strokeWidth={2} />}
    </svg>
  )
}

function Move({ label, value, max, attempt, settle }: { label: string; value: number; max: number; attempt: (value: number) => void; settle: (value: number) => void }) {
  const [typed, setTyped] = useState<string | null>(null)
  const finish = () => {
    const number = Number(typed)
    if (typed !== null && typed.trim() !== '' && Number.isFinite(number) && number !== value) settle(number)
    setTyped(null)
  }
  return (
    <div className="slider">
      <span>{label}</span>
      <Slider aria-label={label} value={Math.min(value, max)} min={0} max={max} step={0.01} onChange={(_, next) => attempt(next as number)} onChangeCommitted={(_, next) => settle(next as number)} />
      <input
        className="number" aria-label={`${label}, number`} inputMode="decimal" value={typed ?? value.toFixed(2)}
        onChange={(event) => setTyped(event.target.value)} onBlur={finish} onKeyDown={(event) => event.key === 'Enter' && finish()} onFocus={(event) => event.target.select()}
      />
    </div>
  )
}

function ColourPick({ label, value, attempt, settle }: { label: string; value: readonly number[]; attempt: (value: [number, number, number]) => void; settle: (value: [number, number, number]) => void }) {
  const hex = toHex(value)
  return (
    <div className="slider">
      <span>{label}</span>
      <input type="color" aria-label={`${label}, sRGB`} value={hex} style={{ width: 72, height: 24, padding: 0, border: '1px solid var(--strong)' }} onChange={(event) => attempt(fromHex(event.target.value))} onBlur={() => settle([value[0]!, value[1]!, value[2]!])} />
      <span className="mono">{hex}</span>
    </div>
  )
}
