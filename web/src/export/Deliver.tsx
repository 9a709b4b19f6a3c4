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
import { labels } from '../words/export'

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

/** Looking at, putting, and bringing back the package in a folder; each asks the folder's state again. */
function useDelivery(project: Project, folder: string) {
  const queries = useQueryClient()
  const path = { project_id: project.id }
  const key = ['destination', project.id, project.document.target]
  const askAgain = () => void queries.invalidateQueries({ queryKey: key })
  const deliver = useMutation({
    mutationFn: async (dry: boolean) => {
      const job = await post('/api/projects/{project_id}/deliveries', {
        params: { path },
        body: { revision: project.revision, folder, dry },
      })
      void queries.invalidateQueries({ queryKey: ['jobs', project.id] })
      await jobEnds(job)
      const ended = await get('/api/jobs/{job_id}', { params: { path: { job_id: job.id } } })
      return ended.result as Outcome | null
    },
    onSettled: askAgain,
  })
  const back = useMutation({
    mutationFn: () =>
      post('/api/projects/{project_id}/deliveries/bring-back', { params: { path } }),
    onSettled: askAgain,
  })
  const byItself = useMutation({
    mutationFn: (by_itself: boolean) =>
      post('/api/projects/{project_id}/destination', {
        params: { path },
        body: { folder, by_itself },
      }),
    onSuccess: (told) => queries.setQueryData(key, told),
  })
  const seen = deliver.data
  return {
    deliver,
    back,
    byItself,
    busy: deliver.isPending || back.isPending,
    problem: deliver.error ?? back.error ?? byItself.error,
    /** It was looked at, its trial passed, and there is something to put there. */
    ready: seen?.dry === true && seen.passed && seen.changed.length + seen.gone.length > 0,
    /** It is there, or its trial failed after it was made: nothing more can be done with it. */
    ended: seen?.dry === false,
  }
}

/** Until the server has answered. */
const UNTOLD = { folder: '', roots: [], by_itself: false, last: null, backup: false }

/** Deliver the package to a folder that an engine reads: what would change is shown before anything does. */
export function Deliver({ project, close }: { project: Project; close: () => void }) {
  const told =
    useQuery({
      queryKey: ['destination', project.id, project.document.target],
      queryFn: () =>
        get('/api/projects/{project_id}/destination', {
          params: { path: { project_id: project.id } },
        }),
    }).data ?? UNTOLD
  const [typed, setTyped] = useState<string | null>(null)
  const folder = (typed ?? told.folder).trim()
  const { deliver, back, byItself, busy, problem, ready, ended } = useDelivery(project, folder)
  return (
    <Dialog open onClose={close} maxWidth="sm" fullWidth>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          deliver.mutate(!ready)
        }}
      >
        <DialogTitle>{labels.deliverToAFolder}</DialogTitle>
        <DialogContent>
          <p className="small">{labels.thePackageForIsMadeAnd(project.document.target)}</p>
          <FolderField
            folder={typed ?? told.folder}
            roots={told.roots}
            problem={problem}
            type={(next) => {
              setTyped(next)
              deliver.reset()
              back.reset()
            }}
          />
          <ByItself folder={folder} told={told.by_itself} byItself={byItself} />
          {told.last && <LastDeliveryLine last={told.last} />}
          <Outcomes deliver={deliver} back={back} busy={busy} />
        </DialogContent>
        <DialogActions>
          {told.backup && (
            <Button disabled={busy} onClick={() => back.mutate()}>
              {labels.restoreThePreviousPackage}
            </Button>
          )}
          <span className="grow" />
          <Button onClick={close}>{labels.close}</Button>
          <Button type="submit" variant="contained" disabled={busy || folder === '' || ended}>
            {ready ? labels.putItThere : labels.seeWhatChanges}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  )
}

interface FolderProps {
  folder: string
  /** Folders below which it has to be. */
  roots: string[]
  problem: Error | null
  type: (folder: string) => void
}

function FolderField({ folder, roots, problem, type }: FolderProps) {
  return (
    <TextField
      autoFocus
      fullWidth
      margin="dense"
      label={labels.folder}
      value={folder}
      error={problem != null}
      helperText={problem?.message ?? labels.itsWholePathBelow(roots.join(', '))}
      onChange={(event) => type(event.target.value)}
    />
  )
}

function Outcomes({ deliver, back, busy }: Pick<Delivery, 'deliver' | 'back' | 'busy'>) {
  return (
    <>
      {busy && <LinearProgress aria-label={labels.delivering} />}
      {back.data && <p role="status">{labels.areBack(count(back.data.files.length, 'file'))}</p>}
      {deliver.data && <Told outcome={deliver.data} />}
    </>
  )
}

type Delivery = ReturnType<typeof useDelivery>

interface ByItselfProps {
  folder: string
  told: boolean | undefined
  byItself: Delivery['byItself']
}

/** Whether the package is put there after each updated file. */
function ByItself({ folder, told, byItself }: ByItselfProps) {
  // Ticked at once, whatever an answer says that was on its way already.
  const [ticked, setTicked] = useState<boolean | null>(null)
  return (
    <FormControlLabel
      label={labels.automaticallyAfterEachUpdatedFileThat}
      control={
        <Checkbox
          disabled={folder === ''}
          checked={ticked ?? told ?? false}
          onChange={(event) => {
            setTicked(event.target.checked)
            byItself.mutate(event.target.checked, { onError: () => setTicked(null) })
          }}
        />
      }
    />
  )
}

/** What became of the last delivery, also of one that was made by itself. */
export function LastDeliveryLine({ last }: { last: LastDelivery }) {
  return (
    <p className={last.passed ? 'small' : 'small brick'}>
      {labels.lastDelivered(
        last.passed ? '=' : '!',
        ago(last.ended),
        last.passed
          ? last.changed > 0
            ? labels.putThere(count(last.changed, 'file'))
            : labels.allOfItWasThereAlready
          : labels.notPutThere(last.problem),
      )}
    </p>
  )
}

function Told({ outcome }: { outcome: Outcome }) {
  const { dry, passed, changed, gone, same } = outcome
  if (!passed)
    return (
      <div role="status">
        <p className="brick">{labels.theTrialFailedSoTheFolder}</p>
        <ul className="small">
          {outcome.wrong.map((line) => (
            <li key={line}>{line}</li>
          ))}
          {outcome.more_wrong > 0 && <li>{labels.andMoreOf(outcome.more_wrong)}</li>}
        </ul>
      </div>
    )
  const hand = outcome.by_hand > 0 ? labels.toBeSetManually(outcome.by_hand) : ''
  return (
    <div role="status">
      <p>
        <span className="accent">= </span>
        {labels.theTrialPassed}
        {hand}.{' '}
        {changed.length + gone.length === 0
          ? labels.theFolderHasAllOfIt
          : dry
            ? labels.wouldBeOthersOrNewWould(count(changed.length, 'file'), same)
            : labels.werePutThere(count(changed.length, 'file'))}
      </p>
      <ul className="small mono">
        {changed.map((file) => (
          <li key={file}>{file}</li>
        ))}
        {gone.map((file) => (
          <li key={file}>
            {file} {dry ? labels.wouldGo : labels.isGone}
          </li>
        ))}
      </ul>
    </div>
  )
}
