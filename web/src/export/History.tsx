import { Button, Popover } from '@mui/material'
import { useState } from 'react'

import { useTargets } from '../api/queries'
import type { Package, TrialResult } from '../api/types'
import { ago, bytes, count } from '../words'

interface Listed {
  bytes: number
}

/** Earlier packages, each kept as it was made: when, for whom, how its trial went; to be downloaded again. */
export function History({ packages }: { packages: Package[] }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const targets = useTargets().data ?? []
  return (
    <>
      <Button aria-haspopup="dialog" onClick={(event) => setAnchor(event.currentTarget)}>Earlier packages</Button>
      <Popover open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)} anchorOrigin={{ vertical: 'top', horizontal: 'left' }} transformOrigin={{ vertical: 'bottom', horizontal: 'left' }} slotProps={{ paper: { role: 'dialog', 'aria-label': 'Earlier packages' } as never }}>
        <table className="grid" style={{ minWidth: 460 }}>
          <thead><tr><th>Made</th><th>Target</th><th>Size</th><th>Trial</th><th><span className="sr">Get</span></th></tr></thead>
          <tbody>
            {packages.map((entry) => {
              const trial = entry.trial as TrialResult | null
              const wrong = trial?.cells.filter((cell) => cell.verdict === 'differs' || cell.verdict === 'lost').length ?? 0
              return (
                <tr key={entry.id}>
                  <td>{ago(entry.made)}</td>
                  <td>{targets.find((target) => target.id === entry.target)?.title ?? entry.target}</td>
                  <td className="mono">{bytes((entry.files as Listed[]).reduce((sum, file) => sum + file.bytes, 0))}</td>
                  <td>{!trial ? <span className="quiet">not tried</span> : trial.passed ? <span className="accent">✓ passed</span> : <span className="brick">≠ {count(wrong, 'cell')}</span>}</td>
                  <td><Button component="a" href={`/api/packages/${entry.id}/download`}>Download</Button></td>
                </tr>
              )
            })}
          </tbody>
        </table>
      </Popover>
    </>
  )
}
