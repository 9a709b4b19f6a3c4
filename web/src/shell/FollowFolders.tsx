import {
  Box,
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  TextField,
} from '@mui/material'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'

import { erase, get, post } from '../api/client'
import { useProjectId } from '../api/queries'
import { count } from '../words'
import { labels } from '../words/shell'

const followedKey = (project: string) => ['followed', project]

function useFollowed(id: string) {
  return useQuery({
    queryKey: followedKey(id),
    queryFn: () =>
      get('/api/projects/{project_id}/followed', { params: { path: { project_id: id } } }),
    refetchInterval: 2000,
  })
}

/** The folders of this machine that the project follows: what is saved there comes in. */
export function FollowFolders({ close }: { close: () => void }) {
  const id = useProjectId()
  const queries = useQueryClient()
  const [folder, setFolder] = useState('')
  const [takes, setTakes] = useState(false)
  const path = { project_id: id }
  const asked = useFollowed(id)
  // A box that was ticked is ticked at once, whatever an answer says that was on its way already.
  const [ticked, setTicked] = useState<Record<number, boolean>>({})
  const again = () =>
    void queries.invalidateQueries({ queryKey: followedKey(id) }).then(() => setTicked({}))
  const follow = useMutation({
    mutationFn: (body: { folder: string; takes: boolean }) =>
      post('/api/projects/{project_id}/followed', { params: { path }, body }),
    onSettled: again,
  })
  const leave = useMutation({
    mutationFn: (followed_id: number) =>
      erase('/api/projects/{project_id}/followed/{followed_id}', {
        params: { path: { ...path, followed_id } },
      }),
    onSuccess: again,
  })
  const roots = asked.data?.roots ?? []
  const folders = asked.data?.folders ?? []
  return (
    <Dialog open onClose={close} maxWidth="sm" fullWidth>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          follow.mutate({ folder: folder.trim(), takes }, { onSuccess: () => setFolder('') })
        }}
      >
        <DialogTitle>{labels.followFolders}</DialogTitle>
        <DialogContent>
          <p className="small">{labels.mapsAndMeshesThatOtherPrograms}</p>
          {folders.length > 0 && (
            <table className="numbers-table" aria-label={labels.followedFolders}>
              <tbody>
                {folders.map((row) => (
                  <FollowedRow
                    key={row.id}
                    row={row}
                    follow={follow.mutate}
                    leave={leave.mutate}
                    ticked={ticked[row.id] ?? row.takes}
                    tick={(on) => setTicked({ ...ticked, [row.id]: on })}
                  />
                ))}
              </tbody>
            </table>
          )}
          {asked.data && roots.length === 0 ? (
            <p className="amber">{labels.nothingCanBeFollowedHereWhoever}</p>
          ) : (
            <>
              <TextField
                autoFocus
                fullWidth
                margin="dense"
                label={labels.folder}
                placeholder={roots[0] ? `${roots[0]}/…` : ''}
                value={folder}
                error={follow.isError}
                helperText={
                  follow.isError ? follow.error.message : labels.itsWholePathBelow(roots.join(', '))
                }
                onChange={(event) => {
                  setFolder(event.target.value)
                  follow.reset()
                }}
              />
              <FormControlLabel
                control={
                  <Checkbox
                    size="small"
                    checked={takes}
                    onChange={(event) => setTakes(event.target.checked)}
                  />
                }
                label={labels.takeNewVersionsByThemselvesEach}
              />
            </>
          )}
        </DialogContent>
        <DialogActions>
          <Button onClick={close}>{labels.close}</Button>
          <Button
            type="submit"
            variant="contained"
            disabled={folder.trim() === '' || follow.isPending}
          >
            {labels.followIt}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  )
}

type Followed = NonNullable<ReturnType<typeof useFollowed>['data']>['folders'][number]

interface RowProps {
  row: Followed
  follow: (change: { folder: string; takes: boolean }) => void
  leave: (id: number) => void
  /** Whether new versions replace old ones by themselves. */
  ticked: boolean
  tick: (on: boolean) => void
}

function FollowedRow({ row, follow, leave, ticked, tick }: RowProps) {
  return (
    <tr>
      <Box component="td" sx={{ overflowWrap: 'anywhere' }}>
        <span className="mono">{row.folder}</span>
        <br />
        <span className={row.problem ? 'small brick' : 'small'}>
          {row.problem ? `! ${row.problem}` : labels.imported(count(row.files, 'file'))}
        </span>
      </Box>
      <td>
        <FormControlLabel
          control={
            <Checkbox
              size="small"
              checked={ticked}
              onChange={(event) => {
                tick(event.target.checked)
                follow({ folder: row.folder, takes: event.target.checked })
              }}
            />
          }
          label={labels.replaceAutomatically}
        />
      </td>
      <td>
        <Button onClick={() => leave(row.id)}>
          {labels.leave}
          <span className="sr"> {row.folder}</span>
        </Button>
      </td>
    </tr>
  )
}
