import { styled } from '@mui/material/styles'
import { Box, Button } from '@mui/material'
import { useEffect, useState } from 'react'

import { useStatus } from '../api/notices'
import { useProject } from '../api/queries'
import type { Cell, Package, TrialResult } from '../api/types'
import {
  TRIAL_EXTRAS,
  TRIAL_INPUTS,
  VERDICTS,
  causeWords,
  count,
  errorWords,
  inWords,
} from '../words'
import { labels } from '../words/export'
import { ByHand } from './ByHand'
import { CellDetail } from './CellDetail'
import { Renders } from './Renders'
import { cellKey, headOf, isCompressed, isIdle, isWrong, nameOf, short, slotKey } from './cells'

const VerdictBox = styled('button')({
  width: '100%',
  padding: '3px 1px',
  border: '2px solid transparent',
  borderRadius: 3,
  background: 'none',
  cursor: 'pointer',
  overflow: 'hidden',
  textOverflow: 'ellipsis',
  whiteSpace: 'nowrap',
  '&[aria-pressed="true"]': {
    borderColor: 'var(--accent)',
  },
  '&.brick': {
    background: 'var(--brickWash)',
  },
  '&.amber': {
    background: 'var(--amberWash)',
  },
})

const OldTrial = styled('p')({
  margin: 0,
  padding: '6px 14px',
  background: 'var(--amberWash)',
})

const TrialBoardBox = styled('table')({
  width: '100%',
  borderCollapse: 'collapse',
  tableLayout: 'fixed',
  '& th': {
    fontWeight: 400,
    fontSize: 11.5,
    color: 'var(--ink2)',
    height: 28,
    background: 'var(--ground)',
  },
  '& th:first-child, & td:first-child': {
    textAlign: 'left',
    paddingLeft: 14,
    width: 118,
  },
  '& td': {
    borderTop: '1px solid var(--line)',
    height: 36,
    textAlign: 'center',
    padding: '0 1px',
  },
})

interface Props {
  pack: Package | undefined
  /** Whether the project has changed since. */
  behind: boolean
  /** Whether a newer package is being made or tried. */
  busy: boolean
}

/** What the stand-in engine got: slots against inputs, one verdict each; a cell opens its evidence. */
export function TrialBoard({ pack, behind, busy }: Props) {
  const show = useStatus((state) => state.show)
  useEffect(() => {
    show(labels.identicalWithinRoundingOrCompressionLost)
    return () => show('')
  }, [show])
  const [chosen, setChosen] = useState<string | null>(null)
  if (!pack?.trial) {
    return (
      <section className="pane" aria-label={labels.trial}>
        <div className="empty">
          <h2>{labels.noTrialYet}</h2>
          <p>{labels.exportAndTestWritesThePackage}</p>
        </div>
      </section>
    )
  }
  const { trial } = pack
  const current =
    trial.cells.find((cell) => cellKey(cell) === chosen) ??
    trial.cells.find(isWrong) ??
    trial.cells.find((cell) => cell.max_error)
  return (
    <section className="pane" aria-label={labels.trial}>
      <Box className="bar wrapping" sx={{ gap: '4px 8px' }}>
        <h1>{labels.trial}</h1>
        <Tally trial={trial} />
        <span className="grow" />
        <Reports pack={pack} old={behind || busy} />
      </Box>
      {busy && <OldTrial role="status">{labels.aNewTrialIsBeingMade}</OldTrial>}
      <div className={`scroll ${busy ? 'old' : ''}`} tabIndex={-1}>
        <Grid trial={trial} current={current} choose={(cell) => setChosen(cellKey(cell))} />
        <ByHand pack={pack} lines={trial.by_hand ?? []} />
        <Renders pack={pack} trial={trial} />
      </div>
      {current && <CellDetail cell={current} pack={pack} trial={trial} />}
    </section>
  )
}

function Reports({ pack, old }: { pack: Package; old: boolean }) {
  return (
    <>
      <Button
        component="a"
        target="_blank"
        rel="noreferrer"
        href={`/api/packages/${pack.id}/report.html`}
      >
        {labels.report}
      </Button>
      <Button component="a" href={`/api/packages/${pack.id}/report.pdf`}>
        {labels.pdf}
      </Button>
      <span className="small ellipsis" title={pack.brought_in || undefined}>
        {pack.brought_in ? labels.imported(pack.brought_in) : labels.standInEngine}
        {old && <span className="amber"> {labels.ofAnEarlierState}</span>}
      </span>
    </>
  )
}

/** How many cells came to which verdict. */
function Tally({ trial }: { trial: TrialResult }) {
  const materials = useProject().data?.document.materials ?? {}
  const used = trial.cells.filter((cell) => !isIdle(cell, materials))
  const compressed = used.filter(isCompressed).length
  const of = (...verdicts: Cell['verdict'][]) =>
    used.filter((cell) => verdicts.includes(cell.verdict)).length
  const unsupported = trial.cells.filter((cell) => cell.verdict === 'unsupported' && cell.cause)
  const bare = new Set(
    trial.cells.filter((cell) => cell.verdict === 'unsupported' && !cell.cause).map(slotKey),
  )
  return (
    <>
      {of('differs') > 0 && <span className="chip brick">{labels.different(of('differs'))}</span>}
      {of('lost') > 0 && <span className="chip amber">{labels.lost(of('lost'))}</span>}
      <span className={`chip ${trial.passed ? 'own' : ''}`}>
        {trial.passed && '✓ '}
        {of('same', 'close') - compressed} {labels.identical}
      </span>
      {compressed > 0 && <span className="chip">{labels.compressed(compressed)}</span>}
      {unsupported.length > 0 && (
        <span
          className="chip amber"
          title={unsupported.map((c) => [c.mesh, c.slot, c.input].join(' · ')).join('\n')}
        >
          {labels.notSupportedByTarget(unsupported.length)}
        </span>
      )}
      {bare.size > 0 && (
        <span className="chip amber">{labels.withoutAMaterial(count(bare.size, 'slot'))}</span>
      )}
      {of('by-hand') > 0 && <span className="chip">{labels.manually(of('by-hand'))}</span>}
    </>
  )
}

interface GridProps {
  trial: TrialResult
  current: Cell | undefined
  choose: (cell: Cell) => void
}

function Grid({ trial, current, choose }: GridProps) {
  const { cells } = trial
  const compares = (input: string) => cells.some((cell) => cell.input === input)
  const inputs = [
    ...TRIAL_INPUTS,
    ...['mesh', 'scene'].filter(compares),
    ...TRIAL_EXTRAS.filter(compares),
  ]
  const ofSlots = cells.filter((cell) => cell.input !== 'scene')
  const rows = [...new Map(ofSlots.map((cell) => [slotKey(cell), cell])).values()]
  const byKey = new Map(cells.map((cell) => [cellKey(cell), cell]))
  // The scene is the whole file's: it stands in the first row of its mesh.
  const first = new Map(rows.map((row) => [row.mesh, row] as const).reverse())
  const cellAt = (row: Cell, input: string) =>
    input !== 'scene'
      ? byKey.get(cellKey({ ...row, input }))
      : first.get(row.mesh) === row
        ? byKey.get(cellKey({ ...row, slot: '', input }))
        : undefined
  return (
    <TrialBoardBox>
      <thead>
        <tr>
          <th>{labels.slot}</th>
          {inputs.map((input) => (
            <th key={input} title={nameOf(input)}>
              {headOf(input)}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={slotKey(row)}>
            <td
              className="ellipsis"
              title={`${row.mesh} · ${row.slot}: ${row.material ?? labels.noMaterial}`}
            >
              {row.slot}
              {first.size > 1 && (
                <Box className="small ellipsis" sx={{ fontSize: 10.5 }}>
                  {row.mesh}
                </Box>
              )}
            </td>
            {inputs.map((input) => {
              const cell = cellAt(row, input)
              return (
                <td key={input}>
                  {cell && (
                    <Verdict cell={cell} pressed={cell === current} choose={() => choose(cell)} />
                  )}
                </td>
              )
            })}
          </tr>
        ))}
      </tbody>
    </TrialBoardBox>
  )
}

function Verdict({ cell, pressed, choose }: { cell: Cell; pressed: boolean; choose: () => void }) {
  const materials = useProject().data?.document.materials ?? {}
  const verdict = VERDICTS[cell.verdict]
  const idle = isIdle(cell, materials)
  const words = `${cell.slot || cell.mesh} ${inWords(cell.input)}: ${idle ? labels.notUsed : verdict.word}${cell.cause && cell.verdict !== 'same' ? `, ${causeWords(cell.cause)}` : ''}${cell.max_error ? `, ${errorWords(cell)}` : ''}`
  return (
    <VerdictBox
      className={`verdict mono ${idle ? 'quiet' : verdict.tone}`}
      aria-pressed={pressed}
      title={words}
      onClick={choose}
    >
      <span className="sr">{words} </span>
      {idle ? '·' : short(cell)}
    </VerdictBox>
  )
}
