import { Button, Popover } from '@mui/material'
import { useRef, useState } from 'react'

import { useRemovePackage, useStartJob } from '../api/jobs'
import { useTargets } from '../api/queries'
import type { Package } from '../api/types'
import { ago, bytes, count } from '../words'

/** Earlier packages, each kept as it was made: when, for whom, how its trial went; and packages that were made elsewhere. */
export function ExportHistory({
  packages,
  show,
}: {
  packages: Package[]
  show: (id: number) => void
}) {
  const { startArchive, startForeign } = useStartJob()
  const remove = useRemovePackage()
  const [taken, setTaken] = useState<number | null>(null)
  const setGone = (button: HTMLElement, change: { pack: number; back: boolean }) => {
    // The button goes with what it did: the keyboard stays in the dialog, and Escape closes it.
    button.closest<HTMLElement>('[role="dialog"]')?.focus()
    remove.mutate(change)
    setTaken(change.back ? null : change.pack)
  }
  const input = useRef<HTMLInputElement>(null)
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const targets = useTargets().data ?? []
  return (
    <>
      <Button aria-haspopup="dialog" onClick={(event) => setAnchor(event.currentTarget)}>
        Earlier packages
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'top', horizontal: 'left' }}
        transformOrigin={{ vertical: 'bottom', horizontal: 'left' }}
        slotProps={{ paper: { role: 'dialog', 'aria-label': 'Earlier packages' } as never }}
      >
        <table className="grid" style={{ minWidth: 460 }}>
          <thead>
            <tr>
              <th>Made</th>
              <th>Target</th>
              <th>Size</th>
              <th>Trial</th>
              <th>
                <span className="sr">Get</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {packages.map((entry) => {
              const { trial } = entry
              const wrong =
                trial?.cells.filter((cell) => cell.verdict === 'differs' || cell.verdict === 'lost')
                  .length ?? 0
              return (
                <tr key={entry.id}>
                  <td>
                    {ago(entry.made)}
                    {entry.brought_in && <div className="small">imported: {entry.brought_in}</div>}
                  </td>
                  <td>
                    {targets.find((target) => target.id === entry.target)?.title ?? entry.target}
                  </td>
                  <td className="mono">
                    {bytes(entry.files.reduce((sum, file) => sum + file.bytes, 0))}
                  </td>
                  <td>
                    {!trial ? (
                      <span className="quiet">not tried</span>
                    ) : trial.passed ? (
                      <span className="accent">✓ passed</span>
                    ) : (
                      <span className="brick">≠ {count(wrong, 'cell')}</span>
                    )}
                  </td>
                  <td>
                    {trial && (
                      <Button
                        onClick={() => {
                          show(entry.id)
                          setAnchor(null)
                        }}
                      >
                        Show trial
                      </Button>
                    )}{' '}
                    <Button onClick={() => startArchive.mutate(entry.id)}>Download</Button>{' '}
                    <Button
                      variant="text"
                      onClick={(event) =>
                        setGone(event.currentTarget, { pack: entry.id, back: false })
                      }
                    >
                      Remove
                    </Button>
                  </td>
                </tr>
              )
            })}
          </tbody>
        </table>
        {taken !== null && (
          <p className="small" role="status" style={{ padding: '6px 14px' }}>
            The package is removed.{' '}
            <button
              className="link"
              onClick={(event) => setGone(event.currentTarget, { pack: taken, back: true })}
            >
              Restore
            </button>{' '}
            within a day.
          </p>
        )}
        {packages.length === 0 && (
          <p className="quiet" style={{ padding: '0 14px' }}>
            None yet.
          </p>
        )}
        <div className="row" style={{ padding: '10px 14px' }}>
          <input
            ref={input}
            type="file"
            accept=".zip,.glb,.usdz"
            hidden
            aria-label="Package file"
            onChange={(event) => {
              const file = event.target.files?.[0]
              if (file) {
                startForeign.mutate(file)
                setAnchor(null)
              }
              event.target.value = ''
            }}
          />
          <Button disabled={startForeign.isPending} onClick={() => input.current?.click()}>
            Test a package from elsewhere…
          </Button>
          <span className="small">
            a zip of its folder, a GLB or a USDZ; read by the target that its list names, or that
            fits
          </span>
        </div>
      </Popover>
    </>
  )
}
