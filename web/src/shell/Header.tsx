import { styled } from '@mui/material/styles'
import { Box, Button, Divider, Menu, MenuItem, Tooltip } from '@mui/material'
import { lazy, useEffect, useState } from 'react'

import { useEdit, useRedo, useUndo } from '../api/changes'
import { useTargets } from '../api/queries'
import { useQueue, waitingOf } from '../api/queue'
import type { Project } from '../api/types'
import { CompareTargets } from '../export/CompareTargets'
import { OwnTargets } from '../export/OwnTargets'
import { ago } from '../words'
import { Find } from './Find'
import { JobsButton } from './JobsButton'
import { Mark } from '../components/Mark'
import { OverlayBoundary } from '../components/FailureBoundary'
import { NotesPanel } from '../team/NotesPanel'
import { Account } from '../team/Account'
import { HereNow } from '../team/HereNow'
import { usePeople } from '../team/people'
import { typing } from '../components/keys'
import { ProjectMenu } from './ProjectMenu'
import { Trail } from './Trail'
import { labels } from '../words/shell'

const Tools = styled('div')({
  display: 'flex',
  alignItems: 'center',
  gap: 4,
  padding: '0 12px',
  '& .target': {
    maxWidth: 190,
  },
  '& .jobs': {
    width: 96,
  },
  // What runs takes its room from the target's name, not from the trail.
  '&:has(.jobs) .target': {
    maxWidth: 90,
  },
  '& .MuiButton-text': {
    minWidth: 0,
  },
  '@media (max-width: 1400px)': {
    '& .find-key': {
      display: 'none',
    },
  },
  '@media (max-width: 1179px)': {
    '&, &:has(.jobs)': { padding: '0 6px', gap: 0 },
    '& .target': { maxWidth: 96 },
  },
})

const ProjectBox = styled('div')({
  display: 'flex',
  flexDirection: 'column',
  justifyContent: 'center',
  padding: '0 12px',
  width: 204,
  minWidth: 120,
  '@media (max-width: 1179px)': {
    width: 150,
  },
})

const Guide = lazy(() => import('./Guide'))

/** The trail in the order of the job, with the project, the target, jobs, undo and search. */
export function Header({ project }: { project: Project }) {
  const [finding, setFinding] = useState(false)
  const [guided, setGuided] = useState(false)
  const undo = useUndo()
  const redo = useRedo()
  const people = usePeople().data
  const saving = useQueue(waitingOf(project.id)).length > 0

  useEffect(() => {
    const pressed = (event: KeyboardEvent) => {
      if (event.key === '?' && !typing(event.target)) setGuided(true)
      if (!(event.ctrlKey || event.metaKey)) return
      const key = event.key.toLowerCase()
      if (key === 'k') setFinding(true)
      else if (
        key === 'z' &&
        !(event.target instanceof HTMLInputElement && event.target.type === 'text')
      )
        void (event.shiftKey ? redo : undo)()
      else if (key === 'y') void redo()
      else return
      event.preventDefault()
    }
    window.addEventListener('keydown', pressed)
    return () => window.removeEventListener('keydown', pressed)
  }, [redo, undo])

  return (
    <header className="header">
      <Mark />
      <ProjectBox className="project">
        <ProjectMenu project={project} />
        <span className="small ellipsis">
          {saving ? labels.saving : labels.wordSaved}
          {project.checkpoints[0]
            ? labels.checkpoint(project.checkpoints[0].name, ago(project.checkpoints[0].made))
            : ` ${ago(project.changed)}`}
          <HereNow />
        </span>
      </ProjectBox>
      <Box component="nav" aria-label={labels.theJob} className="grow" sx={{ display: 'flex' }}>
        <Trail project={project} />
      </Box>
      <Tools>
        {people?.role === 'look' && (
          <span className="chip amber" title={labels.changesAreRefusedAskAnOwner}>
            {labels.onlyLooking}
          </span>
        )}
        <JobsButton />
        <TargetButton project={project} />
        <Tooltip title={project.undo ? labels.undo(project.undo) : labels.nothingToUndo}>
          <span>
            <Button variant="text" disabled={!project.undo} onClick={() => void undo()}>
              {labels.undoTitle}
            </Button>
          </span>
        </Tooltip>
        <Tooltip title={project.redo ? labels.redo(project.redo) : labels.nothingToRedo}>
          <span>
            <Button variant="text" disabled={!project.redo} onClick={() => void redo()}>
              {labels.redoTitle}
            </Button>
          </span>
        </Tooltip>
        <Button variant="text" onClick={() => setFinding(true)} aria-keyshortcuts="Control+K">
          {labels.find}
          <span className="find-key">
            &nbsp;<kbd className="key">{labels.ctrlK}</kbd>
          </span>
        </Button>
        <Tooltip title={labels.guideTheJobStepByStep}>
          <Button
            variant="text"
            aria-label={labels.guide}
            aria-keyshortcuts="?"
            sx={{ minWidth: 0 }}
            onClick={() => setGuided(true)}
          >
            <kbd className="key">?</kbd>
          </Button>
        </Tooltip>
        <Account />
      </Tools>
      <NotesPanel />
      {finding && <Find project={project} close={() => setFinding(false)} />}
      {guided && (
        <OverlayBoundary close={() => setGuided(false)}>
          <Guide close={() => setGuided(false)} />
        </OverlayBoundary>
      )}
    </header>
  )
}

function TargetButton({ project }: { project: Project }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const [shown, setShown] = useState<'compare' | 'edit' | null>(null)
  const targets = useTargets().data ?? []
  const edit = useEdit()
  const current = targets.find((target) => target.id === project.document.target)
  const choose = (target: string) => {
    setAnchor(null)
    if (target !== project.document.target) void edit({ kind: 'set-target', target })
  }
  return (
    <>
      <Button
        aria-haspopup="menu"
        className="target"
        title={current?.title}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        <span className="ellipsis">
          {labels.for} <b>{current?.title ?? project.document.target}</b>
        </span>
        &nbsp;▾
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {targets.map((target) => (
          <MenuItem
            key={target.id}
            selected={target.id === project.document.target}
            onClick={() => choose(target.id)}
          >
            <Box sx={{ maxWidth: 380, whiteSpace: 'normal' }}>
              <div>{target.title}</div>
              <div className="small">{target.summary}</div>
            </Box>
          </MenuItem>
        ))}
        <Divider />
        <MenuItem
          onClick={() => {
            setAnchor(null)
            setShown('compare')
          }}
        >
          {labels.compareTheTargets}
        </MenuItem>
        <MenuItem
          onClick={() => {
            setAnchor(null)
            setShown('edit')
          }}
        >
          {labels.targetsOfYourOwn}
        </MenuItem>
      </Menu>
      {shown === 'compare' && <CompareTargets close={() => setShown(null)} />}
      {shown === 'edit' && <OwnTargets project={project} close={() => setShown(null)} />}
    </>
  )
}
