import { Button, LinearProgress } from '@mui/material'

import { useJobs, useStartJob } from '../api/jobs'
import { waitingWords } from '../words'
import { labels } from '../words/components'

interface Props {
  /** Kinds of jobs that are started here. */
  kinds: string[]
  /** What else is going on here, in words; nothing without. */
  also?: string | null
}

/** How far long work is that was started here, what it is doing, and a way to stop it; nothing while there is none. */
export function JobProgress({ kinds, also = null }: Props) {
  const { cancel } = useStartJob()
  const jobs = (useJobs().data ?? []).filter(
    (job) => kinds.includes(job.kind) && (job.state === 'waiting' || job.state === 'running'),
  )
  const [first] = jobs
  if (!first && also === null) return null
  const words = first ? waitingWords(first) || first.doing : also
  return (
    <div className="underway" role="status">
      <span className="small grow ellipsis">{words || labels.wordBeginning}</span>
      {first && (
        <>
          <span className="mono">{Math.round(100 * first.share)} %</span>
          <Button variant="text" onClick={() => cancel.mutate(first.id)}>
            {labels.cancel}
          </Button>
        </>
      )}
      <LinearProgress
        aria-label={words || labels.workUnderWay}
        {...(first ? { variant: 'determinate' as const, value: 100 * first.share } : {})}
      />
    </div>
  )
}
