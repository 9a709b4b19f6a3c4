import { Checkbox, FormControlLabel } from '@mui/material'
import { useState } from 'react'
import { INPUT_TABLE } from '../api/tables'
import type { Limits } from '../components/useTyped'
import type { Feed, Row } from '../api/types'
import { ColourPick, Move } from './Controls'
import { COLOURS, UNCHANGED, largest } from './feed'
import { labels } from '../words/materials'

export function OfConstant({ row, feed, attempt, settle }: Handlers & { row: Row }) {
  return (
    <>
      {typeof feed.value === 'number' && (
        <Move
          label={labels.value}
          value={feed.value}
          max={largest(row.input)}
          limits={[0, INPUT_TABLE[row.input].maximum]}
          attempt={(value) => attempt({ value })}
          settle={(value) => settle({ value })}
        />
      )}
      {COLOURS.includes(row.input) && (
        <ColourPick
          label={labels.colour}
          value={Array.isArray(feed.value) ? feed.value : [0, 0, 0]}
          attempt={(value) => attempt({ value })}
          settle={(value) => settle({ value })}
        />
      )}
      <Strength row={row} feed={feed} attempt={attempt} settle={settle} />
    </>
  )
}

function Strength({ row, feed, attempt, settle }: Handlers & { row: Row }) {
  const strength = INPUT_TABLE[row.input].strength
  if (strength === null) return null
  return (
    <Move
      label={labels.strength}
      value={feed.strength ?? 1}
      max={strength}
      limits={[0, null]}
      attempt={(value) => attempt({ strength: value })}
      settle={(value) => settle({ strength: value })}
    />
  )
}

export function OfMap({ row, saved, feed, attempt, settle }: Handlers & { row: Row; saved: Feed }) {
  const [more, setMore] = useState(
    MORE.some((key) => saved[key] !== undefined && String(saved[key]) !== String(UNCHANGED[key])),
  )
  const isColour = COLOURS.includes(row.input)
  const isNormal = row.input === 'normal'
  const handlers = { feed, attempt, settle }
  return (
    <>
      {!isNormal && <Ends part="range" names={[labels.low, labels.high]} {...handlers} />}
      {!isNormal && more && <MoreAdjustments isColour={isColour} {...handlers} />}
      {isColour && (
        <ColourPick
          label={labels.tint}
          value={feed.tint ?? [1, 1, 1]}
          attempt={(tint) => attempt({ tint })}
          settle={(tint) => settle({ tint })}
        />
      )}
      <Strength row={row} {...handlers} />
      {!isNormal && (
        <div className="row wrap">
          <FormControlLabel
            sx={{ ml: 0, gap: 0.5, '& .MuiFormControlLabel-label': { fontSize: 13 } }}
            label={row.input === 'roughness' ? labels.invertTheMapHoldsGloss : labels.invert}
            control={
              <Checkbox
                sx={{ p: 0.25 }}
                checked={feed.invert ?? false}
                onChange={(event) => settle({ invert: event.target.checked })}
              />
            }
          />
          <button className="link" aria-expanded={more} onClick={() => setMore(!more)}>
            {more ? labels.fewerAdjustments : labels.moreAdjustments}
          </button>
        </div>
      )}
    </>
  )
}

/** The low and the high end of a range. */
function Ends({
  part,
  names,
  feed,
  attempt,
  settle,
}: Handlers & { part: 'range' | 'range_in'; names: [string, string] }) {
  return names.map((name, at) => {
    const set = (value: number): Partial<Feed> => ({
      [part]: at === 0 ? [value, feed[part]![1]] : [feed[part]![0], value],
    })
    return (
      <Move
        key={name}
        label={name}
        value={feed[part]?.[at] ?? at}
        max={1}
        attempt={(value) => attempt(set(value))}
        settle={(value) => settle(set(value))}
      />
    )
  })
}

/** Adjustments with the ends and the step of their sliders; the last three are of colours. */
const SLIDERS = [
  ['gamma', labels.gamma, 0.1, 4, 0.01],
  ['contrast', labels.contrast, 0, 3, 0.01],
  ['pivot', labels.pivot, 0, 1, 0.01],
  ['multiply', labels.multiply, 0, 4, 0.01],
  ['offset', labels.offset, -1, 1, 0.01],
  ['hue', labels.hue, -180, 180, 1],
  ['saturation', labels.saturation, 0, 2, 0.01],
  ['brightness', labels.brightness, 0, 2, 0.01],
] as const

function MoreAdjustments({ isColour, feed, attempt, settle }: Handlers & { isColour: boolean }) {
  const shown = isColour ? SLIDERS : SLIDERS.slice(0, -3)
  return (
    <>
      <Ends
        part="range_in"
        names={[labels.fromLow, labels.fromHigh]}
        feed={feed}
        attempt={attempt}
        settle={settle}
      />
      {shown.map(([key, label, min, max, step]) => (
        <Move
          key={key}
          label={label}
          value={feed[key] ?? 0}
          min={min}
          max={max}
          step={step}
          limits={LIMITS[key]}
          attempt={(value) => attempt({ [key]: value })}
          settle={(value) => settle({ [key]: value })}
        />
      ))}
    </>
  )
}

interface Handlers {
  feed: Feed
  attempt: (change: Partial<Feed>) => void
  settle: (change: Partial<Feed>) => void
}

/** What is folded away until it is asked for, or set. */
const MORE = [
  'range_in',
  'gamma',
  'contrast',
  'pivot',
  'multiply',
  'offset',
  'hue',
  'saturation',
  'brightness',
] as const

/** What may be typed, as the document has it. */
const LIMITS: Partial<Record<(typeof MORE)[number], Limits>> = {
  gamma: [0.01, null],
  saturation: [0, null],
  brightness: [0, null],
}
