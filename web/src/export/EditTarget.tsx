import { styled } from '@mui/material/styles'
import { Box, Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import { useDraftTarget } from '../api/queries'
import type { Profile } from '../api/types'
import { PackPlan } from './PackPlan'
import { bytes, count } from '../words'
import { TargetFields } from './TargetFields'
import { TargetFiles } from './TargetFiles'
import { labels } from '../words/export'

const DraftPlan = styled('div')({
  maxHeight: 300,
  overflow: 'auto',
  border: '1px solid var(--line)',
  marginTop: 6,
})

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
      <DialogTitle>{draft.replaces ? labels.changeTheTarget : labels.aTargetOfYourOwn}</DialogTitle>
      <DialogContent>
        <TargetFields profile={profile} change={change} />
        <TargetFiles files={profile.files} change={(files) => change({ files })} />
        <Outcome tried={tried} />
        {tried?.plan && (
          <details>
            <summary>{labels.theFilesThisProjectWouldGive}</summary>
            <DraftPlan>
              <PackPlan plan={tried.plan} last={undefined} fixed />
            </DraftPlan>
          </details>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.cancel}</Button>
        <Button variant="contained" disabled={!tried || tried.problem !== ''} onClick={save}>
          {labels.saveTheTarget}
        </Button>
      </DialogActions>
    </Dialog>
  )
}

/** What the target would give of this project, or what is wrong with it. */
function Outcome({ tried }: { tried: ReturnType<typeof useDraftTarget>['data'] }) {
  return (
    <Box component="p" sx={{ marginTop: 1.25 }} role="status">
      {tried?.problem ? (
        <span className="brick">! {tried.problem}</span>
      ) : tried?.summary?.problem ? (
        <span className="brick">! {tried.summary.problem}</span>
      ) : tried?.summary ? (
        <>
          {labels.forThisProject} {count(tried.summary.files, 'texture')},{' '}
          {bytes(tried.summary.memory)} {labels.inGraphicsMemoryWord}
          {tried.summary.converted.length > 0 && `; ${tried.summary.converted.join(', ')}`}.{' '}
          {tried.summary.lost.length > 0 && (
            <span className="amber">
              {labels.notSupportedOf(
                count(tried.summary.lost.length, 'input'),
                tried.summary.lost.slice(0, 3).join('; '),
              )}
            </span>
          )}
        </>
      ) : (
        labels.workingItOut
      )}
    </Box>
  )
}
