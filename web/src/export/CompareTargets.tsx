import { Box, Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'

import { useEdit } from '../api/changes'
import { useComparison, useProject } from '../api/queries'
import { bytes } from '../words'
import { labels } from '../words/export'

/** The same project over all targets: what each loses, what it converts, what it takes. */
export function CompareTargets({ close }: { close: () => void }) {
  const query = useComparison()
  const current = useProject().data?.document.target
  const edit = useEdit()
  return (
    <Dialog open onClose={close} maxWidth="lg" fullWidth>
      <DialogTitle>{labels.compareTargets}</DialogTitle>
      <DialogContent>
        {query.isError && <p className="brick">! {query.error.message}</p>}
        {!query.data && !query.isError && <p className="quiet">{labels.planningForEveryTarget}</p>}
        {query.data && (
          <table className="grid">
            <thead>
              <tr>
                <th>{labels.target}</th>
                <th>{labels.textures}</th>
                <th>{labels.inGraphicsMemory}</th>
                <th>{labels.blockCompressed}</th>
                <th>{labels.converted}</th>
                <th>{labels.notSupported}</th>
                <th>
                  <span className="sr">{labels.choose}</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {query.data.map((entry) => (
                <tr key={entry.target}>
                  <td>
                    <b>{entry.title}</b>
                    {entry.own && <span className="small"> {labels.yourOwn}</span>}
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
                            {entry.lost.length > 2 && labels.andMore(entry.lost.length - 2)}
                          </span>
                        ) : (
                          labels.allIsCarried
                        )}
                      </td>
                    </>
                  )}
                  <td>
                    {entry.target === current ? (
                      <span className="small">{labels.chosen}</span>
                    ) : (
                      <Button
                        onClick={() => void edit({ kind: 'set-target', target: entry.target })}
                      >
                        {labels.choose}
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        <Box component="p" className="small" sx={{ marginTop: 1 }}>
          {labels.memoryWithAllMipsUncompressedUnless}
        </Box>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.close}</Button>
      </DialogActions>
    </Dialog>
  )
}
