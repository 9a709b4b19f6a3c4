import { Box, Divider, Menu, MenuItem } from '@mui/material'
import { useColorScheme } from '@mui/material/styles'
import { lazy, useState } from 'react'
import { useLocation } from 'react-router'

import { useCheckpoint, useEdit, useRestore } from '../api/changes'
import { useStartJob } from '../api/jobs'
import type { Project } from '../api/types'
import { AskName } from '../components/AskName'
import { OverlayBoundary } from '../components/FailureBoundary'
import { atOf, useNoting } from '../team/notes'
import { ago } from '../words'
import { FollowFolders } from './FollowFolders'
import { labels } from '../words/shell'

const HistoryPanel = lazy(() =>
  import('../team/HistoryPanel').then((room) => ({ default: room.HistoryPanel })),
)
const PeopleDialog = lazy(() =>
  import('../team/PeopleDialog').then((room) => ({ default: room.PeopleDialog })),
)

/** What a page's history would be of: the map, material or mesh that it shows. */
function aboutOf(pathname: string): string {
  const { kind, place } = atOf(pathname)
  return place[0] ? `${kind} ${place[0]}` : ''
}

/** What can be done with the project as a whole. */
export function ProjectMenu({ project }: { project: Project }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const [asking, setAsking] = useState<'rename' | 'checkpoint' | null>(null)
  const [following, setFollowing] = useState(false)
  const [shown, setShown] = useState<'history' | 'people' | null>(null)
  const note = useNoting((state) => state.open)
  const { pathname } = useLocation()
  const { mode, setMode } = useColorScheme()
  const edit = useEdit()
  const checkpoint = useCheckpoint()
  const restore = useRestore()
  const { startArchive } = useStartJob()
  const close = () => setAnchor(null)
  const item = (words: string, run: () => void, key = words) => (
    <MenuItem
      key={key}
      onClick={() => {
        close()
        run()
      }}
    >
      {words}
    </MenuItem>
  )
  return (
    <>
      <Box
        component="button"
        className="plain ellipsis"
        sx={{ fontWeight: 600 }}
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {project.document.name} <span aria-hidden>▾</span>
      </Box>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={close}>
        {item(labels.rename, () => setAsking('rename'))}
        {item(labels.nameThisState, () => setAsking('checkpoint'))}
        {item(labels.history, () => setShown('history'))}
        {item(labels.notes, () => note(atOf(pathname)))}
        {item(labels.people, () => setShown('people'))}
        {project.checkpoints.map((point) =>
          item(
            labels.restore(point.name, ago(point.made)),
            () => void restore(point.id),
            `${point.id}`,
          ),
        )}
        <Divider />
        {item(labels.followFoldersAsk, () => setFollowing(true))}
        {item(labels.saveProjectAsZip, () => startArchive.mutate(null))}
        {item(labels.surroundings(mode === 'dark' ? labels.light : labels.dark), () =>
          setMode(mode === 'dark' ? 'light' : 'dark'),
        )}
      </Menu>
      {shown && (
        <OverlayBoundary close={() => setShown(null)}>
          {shown === 'people' ? (
            <PeopleDialog close={() => setShown(null)} />
          ) : (
            <HistoryPanel about={aboutOf(pathname)} close={() => setShown(null)} />
          )}
        </OverlayBoundary>
      )}
      {following && <FollowFolders close={() => setFollowing(false)} />}
      {asking && (
        <AskName
          title={asking === 'rename' ? labels.renameTheProject : labels.nameThisStateTitle}
          label={asking === 'rename' ? labels.projectName : labels.checkpointName}
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
