import {
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  LinearProgress,
  TextField,
} from '@mui/material'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'

import { get, post } from '../api/client'
import { jobEnds } from '../api/jobs'
import type { LastDelivery, Project } from '../api/types'
import { ago, count } from '../words'

interface Outcome {
  folder: string
  dry: boolean
  passed: boolean
  changed: string[]
  gone: string[]
  same: number
  wrong: string[]
  more_wrong: number
  by_hand: number
}

/** Deliver the package to a folder that an engine reads: what would change is shown before anything does. */
export function Deliver({ project, close }: { project: Project; close: () => void }) {
  const queries = useQueryClient()
  const path = { project_id: project.id }
  const key = ['destination', project.id, project.document.target]
  const asked = useQuery({
    queryKey: key,
    queryFn: () => get('/api/projects/{project_id}/destination', { params: { path } }),
  })
  const [typed, setTyped] = useState<string | null>(null)
  const folder = typed ?? asked.data?.folder ?? ''
  const deliver = useMutation({
    mutationFn: async (dry: boolean) => {
      const job = await post('/api/projects/{project_id}/deliveries', {
        params: { path },
        body: { revision: project.revision, folder: folder.trim(), dry },
      })
      void queries.invalidateQueries({ queryKey: ['jobs', project.id] })
      await jobEnds(job)
      const ended = await get('/api/jobs/{job_id}', { params: { path: { job_id: job.id } } })
      return ended.result as Outcome | null
    },
    onSettled: () => void queries.invalidateQueries({ queryKey: key }),
  })
  const back = useMutation({
    mutationFn: () =>
      post('/api/projects/{project_id}/deliveries/bring-back', { params: { path } }),
    onSettled: () => void queries.invalidateQueries({ queryKey: key }),
  })
  // Ticked at once, whatever an answer says that was on its way already.
  const [ticked, setTicked] = useState<boolean | null>(null)
  const byItself = useMutation({
    mutationFn: (by_itself: boolean) =>
      post('/api/projects/{project_id}/destination', {
        params: { path },
        body: { folder: folder.trim(), by_itself },
      }),
    onSuccess: (told) => queries.setQueryData(key, told),
    onError: () => setTicked(null),
  })
  const busy = deliver.isPending || back.isPending
  const seen = deliver.data
  const ready = seen?.dry && seen.passed && seen.changed.length + seen.gone.length > 0
  const problem = deliver.error ?? back.error ?? byItself.error
  return (
    <Dialog open onClose={close} maxWidth="sm" fullWidth>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          deliver.mutate(!ready)
        }}
      >
        <DialogTitle>Deliver to a folder</DialogTitle>
        <DialogContent>
          <p className="small">
            The package for {project.document.target} is made and tried. Only if it passes it takes
            the place of the one in the folder, in one step; that one is kept. Files that are not of
            a package stay.
          </p>
          <TextField
            autoFocus
            fullWidth
            margin="dense"
            label="Folder"
            value={folder}
            error={problem != null}
            helperText={
              problem?.message ?? `Its whole path, below ${asked.data?.roots.join(', ') ?? ''}`
            }
            onChange={(event) => {
              setTyped(event.target.value)
              deliver.reset()
              back.reset()
            }}
          />
          <FormControlLabel
            label="Automatically after each updated file that is replaced, if the trial passes"
            control={
              <Checkbox
                disabled={folder.trim() === ''}
                checked={ticked ?? asked.data?.by_itself ?? false}
                onChange={(event) => {
                  setTicked(event.target.checked)
                  byItself.mutate(event.target.checked)
                }}
              />
            }
          />
          {asked.data?.last && <LastDeliveryLine last={asked.data.last} />}
          {busy && <LinearProgress aria-label="Delivering" />}
          {back.data && <p role="status">{count(back.data.files.length, 'file')} are back.</p>}
          {seen && <Told outcome={seen} />}
        </DialogContent>
        <DialogActions>
          {asked.data?.backup && (
            <Button disabled={busy} onClick={() => back.mutate()}>
              Restore the previous package
            </Button>
          )}
          <span className="grow" />
          <Button onClick={close}>Close</Button>
          <Button
            type="submit"
            variant="contained"
            disabled={busy || folder.trim() === '' || (seen != null && !ready && !seen.dry)}
          >
            {ready ? 'Put it there' : 'See what changes'}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  )
}

/** What became of the last delivery, also of one that was made by itself. */
export function LastDeliveryLine({ last }: { last: LastDelivery }) {
  return (
    <p className={last.passed ? 'small' : 'small brick'}>
      {last.passed ? '=' : '!'} last delivered {ago(last.ended)}:{' '}
      {last.passed
        ? last.changed > 0
          ? `${count(last.changed, 'file')} put there`
          : 'all of it was there already'
        : `not put there, ${last.problem}`}
    </p>
  )
}

function Told({ outcome }: { outcome: Outcome }) {
  const { dry, passed, changed, gone, same } = outcome
  if (!passed)
    return (
      <div role="status">
        <p className="brick">! The trial failed, so the folder stays as it is.</p>
        <ul className="small">
          {outcome.wrong.map((line) => (
            <li key={line}>{line}</li>
          ))}
          {outcome.more_wrong > 0 && <li>and {outcome.more_wrong} more</li>}
        </ul>
      </div>
    )
  const hand = outcome.by_hand > 0 ? `, ${outcome.by_hand} to be set manually` : ''
  return (
    <div role="status">
      <p>
        <span className="accent">= </span>The trial passed{hand}.{' '}
        {changed.length + gone.length === 0
          ? 'The folder has all of it already.'
          : dry
            ? `${count(changed.length, 'file')} would be others or new, ${same} would stay:`
            : `${count(changed.length, 'file')} were put there.`}
      </p>
      <ul className="small mono">
        {changed.map((file) => (
          <li key={file}>{file}</li>
        ))}
        {gone.map((file) => (
          <li key={file}>
            {file} {dry ? 'would go' : 'is gone'}
          </li>
        ))}
      </ul>
    </div>
  )
}
