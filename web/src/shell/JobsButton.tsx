import { Box, Button, LinearProgress, Popover } from '@mui/material'
import { useState } from 'react'

import { useJobs, useStartJob } from '../api/jobs'
import { JOB_NAMES, count, waitingWords } from '../words'
import { labels } from '../words/shell'

/** Running jobs with progress, each to be cancelled; nothing when nothing runs. */
export function JobsButton() {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const { cancel } = useStartJob()
  const running = (useJobs().data ?? []).filter(
    (job) => job.state === 'waiting' || job.state === 'running',
  )
  if (running.length === 0) return null
  const share = running.reduce((sum, job) => sum + job.share, 0) / running.length
  return (
    <>
      <Button
        variant="text"
        className="jobs"
        onClick={(event) => setAnchor(event.currentTarget)}
        aria-haspopup="dialog"
      >
        {count(running.length, 'job')}&nbsp;
        <span className="mono">{Math.round(share * 100)} %</span>
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      >
        <Box sx={{ padding: 1.5, width: 340, display: 'grid', gap: 1.5 }}>
          {running.map((job) => (
            <div key={job.id}>
              <div className="row">
                <b>{JOB_NAMES[job.kind] ?? job.kind}</b>
                <span className="small grow ellipsis">{waitingWords(job) || job.doing}</span>
                <Button onClick={() => cancel.mutate(job.id)}>{labels.cancel}</Button>
              </div>
              <LinearProgress
                aria-label={JOB_NAMES[job.kind]}
                variant="determinate"
                value={job.share * 100}
              />
            </div>
          ))}
        </Box>
      </Popover>
    </>
  )
}
