import {
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  Divider,
  Menu,
  MenuItem,
  TextField,
} from '@mui/material'
import { useColorScheme } from '@mui/material/styles'
import { useState } from 'react'

import { useCheckpoint, useEdit, useRestore, useStartJob } from '../api/queries'
import type { Project } from '../api/types'
import { ago } from '../words'

/** What can be done with the project as a whole. */
export function ProjectMenu({ project }: { project: Project }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const [asking, setAsking] = useState<'rename' | 'checkpoint' | null>(null)
  const { mode, setMode } = useColorScheme()
  const edit = useEdit()
  const checkpoint = useCheckpoint()
  const restore = useRestore()
  const { startArchive } = useStartJob()
  const close = () => setAnchor(null)
  return (
    <>
      <button
        className="plain ellipsis"
        style={{ fontWeight: 600 }}
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {project.document.name} <span aria-hidden>▾</span>
      </button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={close}>
        <MenuItem
          onClick={() => {
            close()
            setAsking('rename')
          }}
        >
          Rename…
        </MenuItem>
        <MenuItem
          onClick={() => {
            close()
            setAsking('checkpoint')
          }}
        >
          Name this state…
        </MenuItem>
        {project.checkpoints.map((point) => (
          <MenuItem
            key={point.id}
            onClick={() => {
              close()
              void restore(point.id)
            }}
          >
            Bring back “{point.name}” ({ago(point.made)})
          </MenuItem>
        ))}
        <Divider />
        <MenuItem
          onClick={() => {
            close()
            startArchive.mutate(null)
          }}
        >
          Save project as zip
        </MenuItem>
        <MenuItem
          onClick={() => {
            close()
            setMode(mode === 'dark' ? 'light' : 'dark')
          }}
        >
          {mode === 'dark' ? 'Light' : 'Dark'} surroundings
        </MenuItem>
      </Menu>
      {asking && (
        <AskName
          title={asking === 'rename' ? 'Rename the project' : 'Name this state'}
          label={asking === 'rename' ? 'Project name' : 'Checkpoint name'}
          initial={asking === 'rename' ? (project.document.name ?? '') : ''}
          close={() => setAsking(null)}
          done={(name) =>
            asking === 'rename'
              ? void edit({ kind: 'rename-project', name })
              : void checkpoint(name)
          }
        />
      )}
    </>
  )
}

/** A dialog that asks for one name. */
export function AskName({
  title,
  label,
  initial,
  close,
  done,
  hint,
}: {
  title: string
  label: string
  initial: string
  close: () => void
  done: (name: string) => void
  hint?: string
}) {
  const [name, setName] = useState(initial)
  const good = name.trim() !== ''
  return (
    <Dialog open onClose={close} fullWidth maxWidth="xs">
      <form
        onSubmit={(event) => {
          event.preventDefault()
          if (!good) return
          done(name.trim())
          close()
        }}
      >
        <DialogTitle>{title}</DialogTitle>
        <DialogContent>
          <TextField
            autoFocus
            fullWidth
            margin="dense"
            label={label}
            value={name}
            helperText={hint}
            onChange={(event) => setName(event.target.value)}
            onFocus={(event) => event.target.select()}
          />
        </DialogContent>
        <DialogActions>
          <Button onClick={close}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={!good}>
            {title.split(' ')[0]}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  )
}
