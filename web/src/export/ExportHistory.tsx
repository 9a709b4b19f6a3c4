import { Box, Button, Popover } from '@mui/material'
import { useRef, useState } from 'react'

import { useRemovePackage, useStartJob } from '../api/jobs'
import { useTargets } from '../api/queries'
import type { Package } from '../api/types'
import { ago, bytes, count } from '../words'
import { labels } from '../words/export'

/** Earlier packages, each kept as it was made: when, for whom, how its trial went; and packages that were made elsewhere. */
export function ExportHistory({
  packages,
  show,
}: {
  packages: Package[]
  show: (id: number) => void
}) {
  const remove = useRemovePackage()
  const [taken, setTaken] = useState<number | null>(null)
  const setGone = (button: HTMLElement, change: { pack: number; back: boolean }) => {
    // The button goes with what it did: the keyboard stays in the dialog, and Escape closes it.
    button.closest<HTMLElement>('[role="dialog"]')?.focus()
    remove.mutate(change)
    setTaken(change.back ? null : change.pack)
  }
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  return (
    <>
      <Button aria-haspopup="dialog" onClick={(event) => setAnchor(event.currentTarget)}>
        {labels.earlierPackages}
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'top', horizontal: 'left' }}
        transformOrigin={{ vertical: 'bottom', horizontal: 'left' }}
        slotProps={{ paper: { role: 'dialog', 'aria-label': labels.earlierPackages } as never }}
      >
        <Box component="table" className="grid" sx={{ minWidth: 460 }}>
          <thead>
            <tr>
              <th>{labels.made}</th>
              <th>{labels.target}</th>
              <th>{labels.size}</th>
              <th>{labels.trial}</th>
              <th>
                <span className="sr">{labels.get}</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {packages.map((entry) => (
              <PackageRow
                key={entry.id}
                entry={entry}
                show={() => {
                  show(entry.id)
                  setAnchor(null)
                }}
                remove={(button) => setGone(button, { pack: entry.id, back: false })}
              />
            ))}
          </tbody>
        </Box>
        {taken !== null && (
          <Box component="p" className="small" role="status" sx={{ padding: '6px 14px' }}>
            {labels.thePackageIsRemoved}{' '}
            <button
              className="link"
              onClick={(event) => setGone(event.currentTarget, { pack: taken, back: true })}
            >
              {labels.restore}
            </button>{' '}
            {labels.withinADay}
          </Box>
        )}
        {packages.length === 0 && (
          <Box component="p" className="quiet" sx={{ padding: '0 14px' }}>
            {labels.noneYet}
          </Box>
        )}
        <FromElsewhere close={() => setAnchor(null)} />
      </Popover>
    </>
  )
}

interface Row {
  entry: Package
  show: () => void
  remove: (button: HTMLElement) => void
}

function PackageRow({ entry, show, remove }: Row) {
  const { startArchive } = useStartJob()
  const target = useTargets().data?.find(({ id }) => id === entry.target)
  const { trial } = entry
  return (
    <tr>
      <td>
        {ago(entry.made)}
        {entry.brought_in && <div className="small">{labels.imported(entry.brought_in)}</div>}
      </td>
      <td>{target?.title ?? entry.target}</td>
      <td className="mono">{bytes(entry.files.reduce((sum, file) => sum + file.bytes, 0))}</td>
      <td>
        <Verdict trial={trial} />
      </td>
      <td>
        {trial && <Button onClick={show}>{labels.showTrial}</Button>}{' '}
        <Button onClick={() => startArchive.mutate(entry.id)}>{labels.download}</Button>{' '}
        <Button variant="text" onClick={(event) => remove(event.currentTarget)}>
          {labels.remove}
        </Button>
      </td>
    </tr>
  )
}

function Verdict({ trial }: Pick<Package, 'trial'>) {
  if (!trial) return <span className="quiet">{labels.notTried}</span>
  if (trial.passed) return <span className="accent">{labels.passed}</span>
  const wrong = trial.cells.filter(({ verdict }) => verdict === 'differs' || verdict === 'lost')
  return <span className="brick">≠ {count(wrong.length, 'cell')}</span>
}

/** Bring in a package that was made elsewhere, to be tried against this project. */
function FromElsewhere({ close }: { close: () => void }) {
  const { startForeign } = useStartJob()
  const input = useRef<HTMLInputElement>(null)
  return (
    <Box className="row" sx={{ padding: '10px 14px' }}>
      <input
        ref={input}
        type="file"
        accept=".zip,.glb,.usdz"
        hidden
        aria-label={labels.packageFile}
        onChange={(event) => {
          const file = event.target.files?.[0]
          if (file) {
            startForeign.mutate(file)
            close()
          }
          event.target.value = ''
        }}
      />
      <Button disabled={startForeign.isPending} onClick={() => input.current?.click()}>
        {labels.testAPackageFromElsewhere}
      </Button>
      <span className="small">{labels.aZipOfItsFolderA}</span>
    </Box>
  )
}
