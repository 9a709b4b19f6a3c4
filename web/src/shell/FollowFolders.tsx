import {
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

/** The folders of this machine that the project follows: what is saved there comes in. */
export function FollowFolders({ close }: { close: () => void }) {
  const id = useProjectId()
  const queries = useQueryClient()
  const [folder, setFolder] = useState('')
  const [takes, setTakes] = useState(false)
  const key = ['followed', id]
  const path = { project_id: id }
  const asked = useQuery({
    queryKey: key,
    queryFn: () => get('/api/projects/{project_id}/followed', { params: { path } }),
    refetchInterval: 2000,
  })
  // A box that was ticked is ticked at once, whatever an answer says that was on its way already.
  const [ticked, setTicked] = useState<Record<number, boolean>>({})
  const again = () => void queries.invalidateQueries({ queryKey: key }).then(() => setTicked({}))
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
        <DialogTitle>Follow folders</DialogTitle>
        <DialogContent>
          <p className="small">
            Maps and meshes that other programs save there come in by themselves, once they are
            whole. New versions of what is here wait until you take them.
          </p>
          {folders.length > 0 && (
            <table className="numbers-table" aria-label="Followed folders">
              <tbody>
                {folders.map((row) => (
                  <tr key={row.id}>
                    <td style={{ overflowWrap: 'anywhere' }}>
                      <span className="mono">{row.folder}</span>
                      <br />
                      <span className={row.problem ? 'small brick' : 'small'}>
                        {row.problem ? `! ${row.problem}` : `${count(row.files, 'file')} imported`}
                      </span>
                    </td>
                    <td>
                      <FormControlLabel
                        control={
                          <Checkbox
                            size="small"
                            checked={ticked[row.id] ?? row.takes}
                            onChange={(event) => {
                              setTicked({ ...ticked, [row.id]: event.target.checked })
                              follow.mutate({ folder: row.folder, takes: event.target.checked })
                            }}
                          />
                        }
                        label="replace automatically"
                      />
                    </td>
                    <td>
                      <Button onClick={() => leave.mutate(row.id)}>
                        Leave<span className="sr"> {row.folder}</span>
                      </Button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          {asked.data && roots.length === 0 ? (
            <p className="amber">
              △ Nothing can be followed here: whoever runs Ektopos names folders in EKTOPOS_FOLDERS.
            </p>
          ) : (
            <>
              <TextField
                autoFocus
                fullWidth
                margin="dense"
                label="Folder"
                placeholder={roots[0] ? `${roots[0]}/…` : ''}
                value={folder}
                error={follow.isError}
                helperText={
                  follow.isError
                    ? follow.error.message
                    : `Its whole path, below ${roots.join(', ')}`
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
                label="Take new versions by themselves; each can be undone"
              />
            </>
          )}
        </DialogContent>
        <DialogActions>
          <Button onClick={close}>Close</Button>
          <Button
            type="submit"
            variant="contained"
            disabled={folder.trim() === '' || follow.isPending}
          >
            Follow it
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  )
}
