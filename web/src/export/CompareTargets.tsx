import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'

import { useEdit } from '../api/changes'
import { useComparison, useProject } from '../api/queries'
import { bytes } from '../words'

/** The same project over all targets: what each loses, what it converts, what it takes. */
export function CompareTargets({ close }: { close: () => void }) {
  const query = useComparison()
  const current = useProject().data?.document.target
  const edit = useEdit()
  return (
    <Dialog open onClose={close} maxWidth="lg" fullWidth>
      <DialogTitle>Compare targets</DialogTitle>
      <DialogContent>
        {query.isError && <p className="brick">! {query.error.message}</p>}
        {!query.data && !query.isError && <p className="quiet">Planning for every target …</p>}
        {query.data && (
          <table className="grid">
            <thead>
              <tr>
                <th>Target</th>
                <th>Textures</th>
                <th>In graphics memory</th>
                <th>Block-compressed</th>
                <th>Converted</th>
                <th>Not supported</th>
                <th>
                  <span className="sr">Choose</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {query.data.map((entry) => (
                <tr key={entry.target}>
                  <td>
                    <b>{entry.title}</b>
                    {entry.own && <span className="small"> your own</span>}
                  </td>
                  {entry.problem ? (
                    <td colSpan={5} className="brick">
                      ! {entry.problem}
                    </td>
                  ) : (
                    <>
                      <td className="mono">{entry.files}</td>
                      <td className="mono">{bytes(entry.memory)}</td>
                      <td className="mono">{bytes(entry.compressed)}</td>
                      <td className="small">{entry.converted.join(' · ') || '–'}</td>
                      <td className="small">
                        {entry.lost.length ? (
                          <span className="amber" title={entry.lost.join('\n')}>
                            △ {entry.lost.slice(0, 2).join(' · ')}
                            {entry.lost.length > 2 && ` and ${entry.lost.length - 2} more`}
                          </span>
                        ) : (
                          'all is carried'
                        )}
                      </td>
                    </>
                  )}
                  <td>
                    {entry.target === current ? (
                      <span className="small">chosen</span>
                    ) : (
                      <Button
                        onClick={() => void edit({ kind: 'set-target', target: entry.target })}
                      >
                        Choose
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        <p className="small" style={{ marginTop: 8 }}>
          Memory with all mips, uncompressed unless textures are exported as ETC1S or UASTC, and
          block-compressed of 16 bytes for 4 × 4 texels as engines compress on import.
        </p>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Close</Button>
      </DialogActions>
    </Dialog>
  )
}
