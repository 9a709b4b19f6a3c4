import { styled } from '@mui/material/styles'
import { Button, LinearProgress } from '@mui/material'

import { useJobs, useStartJob } from '../api/jobs'
import { waitingWords } from '../words'
import { labels } from '../words/components'

const Underway = styled('div')({
  // Long work, where it was started.
  position: 'relative',
  display: 'flex',
  flex: 'none',
  alignItems: 'center',
  gap: 8,
  minHeight: 30,
  padding: '0 14px',
  borderTop: '1px solid var(--line)',
  background: 'var(--surface)',
  '& > .MuiLinearProgress-root': {
    position: 'absolute',
    left: 0,
    right: 0,
    bottom: 0,
  },
})

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
    <Underway role="status">
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
    </Underway>
  )
}
