import { Button, Checkbox, FormControlLabel } from '@mui/material'
import { useState } from 'react'
import type { ReactNode } from 'react'

import { useEdit } from '../api/changes'
import { INPUT_TABLE } from '../api/tables'
import type { Limits } from '../components/useTyped'
import type { Feed, Row } from '../api/types'
import { useClipboard } from './clipboard'
import { ColourPick, Move } from './Controls'
import { COLOURS, UNCHANGED, changes, curve, largest } from './feed'
import { JobProgress } from '../components/JobProgress'
import { HeightToNormal } from './HeightToNormal'
import { Layers } from './Layers'
import { Placing } from './Placing'
import { labels } from '../words/materials'

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
  const [makingNormal, setMakingNormal] = useState(false)
  const [more, setMore] = useState(
    MORE.some((key) => saved[key] !== undefined && String(saved[key]) !== String(UNCHANGED[key])),
  )
  const [lying, setLying] = useState(Boolean(saved.uv ?? saved.wrap))
  const edit = useEdit()
  const placing = { kind: 'place-feed', material, input: row.input } as const
  const { row: copied, copyRow } = useClipboard()
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
  const part = (
    key:
      'gamma' | 'contrast' | 'pivot' | 'multiply' | 'offset' | 'hue' | 'saturation' | 'brightness',
    label: string,
    min: number,
    max: number,
    step = 0.01,
  ) => (
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
  )
  const ends = (key: 'range' | 'range_in', labels: [string, string]) =>
    labels.map((label, at) => {
      const set = (value: number): Partial<Feed> => ({
        [key]: at === 0 ? [value, feed[key]![1]] : [feed[key]![0], value],
      })
      return (
        <Move
          key={label}
          label={label}
          value={feed[key]?.[at] ?? at}
          max={1}
          attempt={(value) => attempt(set(value))}
          settle={(value) => settle(set(value))}
        />
      )
    })
  const isColour = COLOURS.includes(row.input)
  const isConstant = feed.map == null
  const isNormal = row.input === 'normal'
  const strength = INPUT_TABLE[row.input].strength
  return (
    <div className="adjust">
      <div style={{ display: 'grid', gap: 6, alignContent: 'start' }}>
        <Curve row={row} feed={feed} />
        {row.gives && row.gives.clipped > 0.0005 && (
          <span className="small amber">
            {labels.clipped((100 * row.gives.clipped).toFixed(1))}
          </span>
        )}
      </div>
      <div style={{ display: 'grid', gap: 4, alignContent: 'start' }}>
        {row.gives?.suggestion && (
          <p className="small amber">
            △ {row.gives.suggestion}{' '}
            <button className="link" onClick={() => settle({ invert: !feed.invert })}>
              {labels.invertIt}
            </button>
          </p>
        )}
        {isConstant && typeof feed.value === 'number' && (
          <Move
            label={labels.value}
            value={feed.value}
            max={largest(row.input)}
            limits={[0, INPUT_TABLE[row.input].maximum]}
            attempt={(value) => attempt({ value })}
            settle={(value) => settle({ value })}
          />
        )}
        {isConstant && isColour && (
          <ColourPick
            label={labels.colour}
            value={Array.isArray(feed.value) ? feed.value : [0, 0, 0]}
            attempt={(value) => attempt({ value })}
            settle={(value) => settle({ value })}
          />
        )}
        {!isConstant && !isNormal && ends('range', [labels.low, labels.high])}
        {!isConstant && !isNormal && more && (
          <>
            {ends('range_in', [labels.fromLow, labels.fromHigh])}
            {part('gamma', labels.gamma, 0.1, 4)}
            {part('contrast', labels.contrast, 0, 3)}
            {part('pivot', labels.pivot, 0, 1)}
            {part('multiply', labels.multiply, 0, 4)}
            {part('offset', labels.offset, -1, 1)}
            {isColour && part('hue', labels.hue, -180, 180, 1)}
            {isColour && part('saturation', labels.saturation, 0, 2)}
            {isColour && part('brightness', labels.brightness, 0, 2)}
          </>
        )}
        {isColour && !isConstant && (
          <ColourPick
            label={labels.tint}
            value={feed.tint ?? [1, 1, 1]}
            attempt={(tint) => attempt({ tint })}
            settle={(tint) => settle({ tint })}
          />
        )}
        {strength !== null && (
          <Move
            label={labels.strength}
            value={feed.strength ?? 1}
            max={strength}
            limits={[0, null]}
            attempt={(value) => attempt({ strength: value })}
            settle={(value) => settle({ strength: value })}
          />
        )}
        {!isConstant && !isNormal && (
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
        {!isConstant && (
          <button className="link" aria-expanded={lying} onClick={() => setLying(!lying)}>
            {lying ? labels.closeUvPlacement : labels.uvPlacement}
          </button>
        )}
        {!isConstant && lying && (
          <div style={{ display: 'grid', gap: 12, margin: '6px 0' }}>
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
          </div>
        )}
        <Layers input={row.input} feed={feed} attempt={attempt} settle={settle} />
        <div className="row wrap" style={{ marginTop: 4 }}>
          <Button aria-pressed={solo} title={labels.showOnlyThisInputOnThe} onClick={toggleSolo}>
            {solo ? labels.showLit : labels.isolate}
          </Button>
          {row.input === 'height' && feed.map != null && (
            <Button title={labels.aNormalMapOfThisHeight} onClick={() => setMakingNormal(true)}>
              {labels.makeANormalOfIt}
            </Button>
          )}
          <JobProgress kinds={['normal']} />
          {makingNormal && (
            <HeightToNormal material={material} close={() => setMakingNormal(false)} />
          )}
          <Button title={labels.theMaterialAsItIsBeside} onClick={compare}>
            {labels.beforeAfter}
          </Button>
          {changes(row.input, feed).length > 0 && (
            <Button
              title={labels.resetAllAdjustmentsOfThisInput}
              onClick={() => settle({ ...UNCHANGED, layers: [], strength: 1 })}
            >
              {labels.reset}
            </Button>
          )}
          <Button
            title={labels.keepWhatFeedsThisInputTo}
            onClick={() => copyRow({ input: row.input, feed: saved })}
          >
            {labels.copyRow}
          </Button>
          {copied && (
            <Button
              title={labels.feedThisInputWithWhatWas}
              onClick={() => settle({ ...copied.feed })}
            >
              {labels.pasteRow}
            </Button>
          )}
          {row.own && (
            <Button
              title={
                derived ? labels.useTheInheritedFeedAgain : labels.feedItWithNothingGltfsDefault
              }
              onClick={() => commit(null)}
            >
              {derived ? labels.resetToInherited : labels.clear}
            </Button>
          )}
          {row.own && derived && (
            <Button
              title={labels.makeItTheBasesValueSo}
              onClick={() => void edit({ kind: 'push-up', material, input: row.input })}
            >
              {labels.pushUpToBase}
            </Button>
          )}
          {derived && (
            <span className="small">
              {row.own
                ? labels.overrideTheBaseHasAnotherValue
                : labels.inheritedFrom(row.origin ?? labels.theDefault)}
            </span>
          )}
        </div>
      </div>
    </div>
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
      aria-label={labels.n0Becomes1Becomes(curve(feed, 0).toFixed(2), curve(feed, 1).toFixed(2))}
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
