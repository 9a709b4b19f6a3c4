import { styled } from '@mui/material/styles'
import { Box, Button, LinearProgress } from '@mui/material'

import { useJobs, useStartJob } from '../api/jobs'
import { count } from '../words'
import { useImports } from '../api/imports'
import { labels } from '../words/shell'

const Incoming = styled('section')({
  maxHeight: 220,
  display: 'flex',
  flexDirection: 'column',
  background: 'var(--raised)',
  borderTop: '1px solid var(--strong)',
  '& ul': {
    listStyle: 'none',
    margin: 0,
    padding: '0 14px 8px',
    overflow: 'auto',
  },
  '& li': {
    display: 'grid',
    gridTemplateColumns: 'minmax(140px, 340px) 120px 1fr',
    gap: 12,
    alignItems: 'center',
    padding: '2px 0',
  },
})

/** Files on their way in, one line each, with what became of them. */
export function ImportsPanel() {
  const { items, job, open, running, cancel, close } = useImports()
  const jobs = useJobs()
  const stop = useStartJob().cancel
  if (!open) return <div />
  const current = jobs.data?.find((row) => row.id === job)
  const failed = items.filter((item) => item.state === 'failed')
  const shown = running ? items : [...failed, ...items.filter((item) => item.state !== 'failed')]
  const stopAll = () => {
    cancel()
    if (job) stop.mutate(job)
  }
  const sent = items.filter((item) => item.sent === 1).length
  const title = running
    ? current
      ? labels.measuring(count(sent, 'file'))
      : labels.uploadingOf(sent, count(items.length, 'file'))
    : failed.length > 0
      ? labels.couldNotBeImported(count(failed.length, 'file'))
      : labels.imported(count(items.length, 'file'))
  return (
    <Incoming aria-label={labels.filesComingIn}>
      <Box className="row" sx={{ padding: '6px 14px' }}>
        <h2>{title}</h2>
        <span className="small grow ellipsis">{running && current?.doing}</span>
        {running ? (
          <Button onClick={stopAll}>{labels.cancel}</Button>
        ) : (
          <Button onClick={close}>{labels.close}</Button>
        )}
      </Box>
      {running && (
        <LinearProgress
          aria-label={title}
          variant="determinate"
          value={
            100 *
            (current
              ? current.share
              : items.reduce((sum, item) => sum + item.sent, 0) / Math.max(1, items.length))
          }
        />
      )}
      <ul tabIndex={0} aria-label={labels.files}>
        {shown.map((item) => (
          <li key={item.path}>
            <span className="mono ellipsis" title={item.path}>
              {item.path}
            </span>
            <span className={item.state === 'failed' ? 'brick' : 'quiet'}>
              {item.state === 'failed'
                ? labels.notRead
                : item.state === 'waits'
                  ? labels.waits
                  : item.state === 'done'
                    ? labels.isIn
                    : item.state === 'cancelled'
                      ? labels.stopped
                      : item.state === 'sending'
                        ? `${Math.round(item.sent * 100)} %`
                        : item.state === 'sent'
                          ? labels.measuringTitle
                          : labels.waiting}
            </span>
            <span className="ellipsis" title={item.words}>
              {item.words}
            </span>
          </li>
        ))}
      </ul>
    </Incoming>
  )
}
