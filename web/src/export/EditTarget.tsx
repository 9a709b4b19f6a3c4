import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import { useDraftTarget } from '../api/queries'
import type { Profile } from '../api/types'
import { PackPlan } from './PackPlan'
import { bytes, count } from '../words'
import { TargetFields } from './TargetFields'
import { TargetFiles } from './TargetFiles'

export interface Draft {
  profile: Profile
  /** Id of the target that it takes the place of. */
  replaces: string | null
}

interface Props {
  draft: Draft
  close: () => void
}

/** A target being written, with what it would give. */
export function EditTarget({ draft, close }: Props) {
  const [profile, setProfile] = useState(draft.profile)
  const edit = useEdit()
  const tried = useDraftTarget(profile).data
  const change = (part: Partial<Profile>) => setProfile({ ...profile, ...part })
  const save = () =>
    void edit({ kind: 'set-profile', profile: profile as never, replaces: draft.replaces }).then(
      (done) => done && close(),
    )
  return (
    <Dialog open onClose={close} maxWidth="lg" fullWidth>
      <DialogTitle>{draft.replaces ? 'Change the target' : 'A target of your own'}</DialogTitle>
      <DialogContent>
        <TargetFields profile={profile} change={change} />
        <TargetFiles files={profile.files} change={(files) => change({ files })} />
        <Outcome tried={tried} />
        {tried?.plan && (
          <details>
            <summary>The files this project would give</summary>
            <div className="draft-plan">
              <PackPlan plan={tried.plan} last={undefined} fixed />
            </div>
          </details>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Cancel</Button>
        <Button variant="contained" disabled={!tried || tried.problem !== ''} onClick={save}>
          Save the target
        </Button>
      </DialogActions>
    </Dialog>
  )
}

/** What the target would give of this project, or what is wrong with it. */
function Outcome({ tried }: { tried: ReturnType<typeof useDraftTarget>['data'] }) {
  return (
    <p style={{ marginTop: 10 }} role="status">
      {tried?.problem ? (
        <span className="brick">! {tried.problem}</span>
      ) : tried?.summary?.problem ? (
        <span className="brick">! {tried.summary.problem}</span>
      ) : tried?.summary ? (
        <>
          For this project: {count(tried.summary.files, 'texture')}, {bytes(tried.summary.memory)}{' '}
          in graphics memory
          {tried.summary.converted.length > 0 && `; ${tried.summary.converted.join(', ')}`}.{' '}
          {tried.summary.lost.length > 0 && (
            <span className="amber">
              △ {count(tried.summary.lost.length, 'input')} not supported:{' '}
              {tried.summary.lost.slice(0, 3).join('; ')}
            </span>
          )}
        </>
      ) : (
        'Working it out …'
      )}
    </p>
  )
}
