import { styled } from '@mui/material/styles'
import { Box, Button } from '@mui/material'
import { useState } from 'react'
import { Link } from 'react-router'

import { useProjectId } from '../api/queries'
import type { Cell, Package, TrialResult } from '../api/types'
import { Picture } from '../components/Picture'
import { AddNote } from '../team/NoteMark'
import { VERDICTS, causeWords, errorWords } from '../words'
import { labels } from '../words/export'
import { LargePictures, MadeAndArrived, OverWords } from './MadeAndArrived'
import type { Of } from './MadeAndArrived'
import { differenceScale, isCompressed, nameOf } from './cells'

const SettingPairsBox = styled('table')({
  gridColumn: 'span 2',
  alignSelf: 'start',
})

const Detail = styled('div')({
  flex: 'none',
  maxHeight: '46%',
  overflow: 'auto',
  background: 'var(--surface)',
  display: 'grid',
  gridTemplateColumns: 'repeat(2, minmax(0, 196px)) minmax(160px, 1fr)',
  gap: 14,
  padding: '12px 14px',
  borderTop: '1px solid var(--strong)',
  '& figure': {
    margin: 0,
  },
  '& img': {
    width: '100%',
    aspectRatio: '1',
    imageRendering: 'pixelated',
    border: '1px solid var(--line)',
    background: 'var(--stage)',
    display: 'block',
  },
})

interface Props {
  cell: Cell
  pack: Package
  trial: TrialResult
}

const isShape = (cell: Cell) => cell.input === 'mesh' || cell.input === 'scene'

/** The evidence of a cell: pictures or values of both sides, what was measured, and what to do. */
export function CellDetail({ cell, pack, trial }: Props) {
  const picture = trial.pictures.findIndex((entry) =>
    isShape(cell)
      ? entry.material === cell.mesh && entry.input === 'render front'
      : entry.material === cell.material && entry.input === cell.input,
  )
  return (
    <Detail aria-live="polite">
      {picture >= 0 ? (
        <Pictures key={picture} cell={cell} pack={pack} number={picture} />
      ) : cell.settings?.length ? (
        <SettingPairs pairs={cell.settings} />
      ) : (
        <Box component="p" className="quiet" sx={{ gridColumn: 'span 2' }}>
          {labels.noPicture(whyNoPicture(cell))}
        </Box>
      )}
      <Told cell={cell} pack={pack} />
    </Detail>
  )
}

function whyNoPicture(cell: Cell) {
  if (cell.input === 'settings') return labels.thisTrialKeptNoValues
  return isShape(cell) ? labels.thisTrialRenderedNone : labels.aConstantOnBothSides
}

function Pictures({ cell, pack, number }: { cell: Cell; pack: Package; number: number }) {
  const [large, setLarge] = useState(false)
  const of: Of = (what) => `/api/packages/${pack.id}/pictures/${number}-${what}.png?of=${pack.made}`
  const shape = isShape(cell)
  const input = nameOf(cell.input)
  return (
    <>
      <MadeAndArrived of={of} input={input} />
      <figure>
        <Picture
          src={of(shape ? 'over' : 'difference')}
          alt={`${input}, ${shape ? labels.bothOverEachOther : labels.difference}`}
        />
        <figcaption className="small row">
          <span className="grow">
            {shape ? <OverWords /> : labels.difference}
            {!shape && cell.white_at != null && ` · ${differenceScale(cell)}`}
          </span>
          <button className="link" onClick={() => setLarge(true)}>
            {labels.large}
          </button>
        </figcaption>
      </figure>
      {large && (
        <LargePictures
          of={of}
          scale={differenceScale(cell)}
          title={[cell.mesh, cell.slot, input].filter(Boolean).join(' · ')}
          input={input}
          shape={shape}
          close={() => setLarge(false)}
        />
      )}
    </>
  )
}

/** Every setting on both sides; those that differ stand out. */
function SettingPairs({ pairs }: { pairs: NonNullable<Cell['settings']> }) {
  return (
    <SettingPairsBox className="grid">
      <thead>
        <tr>
          <th>{labels.setting}</th>
          <th>{labels.meantTitle}</th>
          <th>{labels.arrivedTitle}</th>
        </tr>
      </thead>
      <tbody>
        {pairs.map((pair) => {
          const hand = pair.arrived === 'set manually'
          const same = pair.meant === pair.arrived
          return (
            <tr key={pair.name} className={same || hand ? '' : 'brick'}>
              <td>{pair.name}</td>
              <td>{pair.meant}</td>
              <td>
                {same ? '= ' : hand ? '✎ ' : '≠ '}
                {pair.arrived}
              </td>
            </tr>
          )
        })}
      </tbody>
    </SettingPairsBox>
  )
}

/** How an input arrived, in a sentence that follows its name. */
function outcome(cell: Cell): string {
  if (cell.verdict === 'same')
    return labels.arrivedAsMeant(cell.input === 'settings' ? labels.theyWere : labels.itWas)
  if (cell.verdict === 'close')
    return labels.arrivedOf(isCompressed(cell) ? labels.wordCompressed : labels.withinRounding)
  return `: ${cell.cause ? causeWords(cell.cause) : VERDICTS[cell.verdict].word}`
}

function Told({ cell, pack }: { cell: Cell; pack: Package }) {
  const id = useProjectId()
  const material = isShape(cell) ? '' : (cell.material ?? labels.noMaterial)
  return (
    <Box sx={{ display: 'grid', gap: 1, alignContent: 'start' }}>
      <Box component="h2" sx={{ fontSize: 15 }}>
        {nameOf(cell.input)}
        {outcome(cell)}
      </Box>
      <p className="small">{[cell.mesh, cell.slot, material].filter(Boolean).join(' · ')}</p>
      {cell.message && <p>{cell.message}</p>}
      {cell.advice && (
        <p>
          <b>{labels.whatToDo}</b> {cell.advice}
        </p>
      )}
      {cell.max_error != null && <p className="mono">{errorWords(cell)}</p>}
      <p>
        <AddNote
          marked
          at={{ kind: 'cell', place: [pack.target, cell.mesh, cell.slot, cell.input] }}
        />
      </p>
      {cell.material && (
        <Button
          component={Link}
          to={`/projects/${id}/materials/${encodeURIComponent(cell.material)}`}
          sx={{ justifySelf: 'start' }}
        >
          {labels.showInFeedSheet}
        </Button>
      )}
    </Box>
  )
}
