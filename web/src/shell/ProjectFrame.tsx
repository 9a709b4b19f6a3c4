import { styled } from '@mui/material/styles'
import { Box, Button } from '@mui/material'
import { Suspense, lazy, useEffect } from 'react'
import type { MouseEvent } from 'react'
import { useDropzone } from 'react-dropzone'
import { Link, Outlet, useLocation } from 'react-router'

import { useJobEnds, useJobs } from '../api/jobs'
import { useNotices, useStatus } from '../api/notices'
import { useProject, useProjectId, usePulse } from '../api/queries'
import { UpdatedFiles } from './UpdatedFiles'
import { Header } from './Header'
import { ImportsPanel } from './ImportsPanel'
import { NewOfSets } from './NewOfSets'
import { useAllRemembered } from '../components/remembered'
import { FailureBoundary } from '../components/FailureBoundary'
import { useImport } from '../components/useImport'
import { useImports } from '../api/imports'
import { RenderBoundary } from '../viewport/RenderBoundary'
import { StatusLine } from './StatusLine'
import { labels } from '../words/shell'

const Frame = styled('div')({
  display: 'grid',
  gridTemplate: '48px minmax(0, 1fr) auto 26px / minmax(0, 1fr)',
  height: '100%',
})

const StageKeeper = lazy(async () => {
  const [room, lights] = await Promise.all([
    import('../viewport/StageCanvas'),
    import('../viewport/filteredLights'),
  ])
  await lights.fetchLights()
  return { default: room.CanvasKeeper }
})

/** Right click opens the menu that the three dots of the same row open. */
function openItsMenu(event: MouseEvent) {
  const row = event.target instanceof Element ? event.target.closest('[data-menu]') : null
  const more = row?.querySelector<HTMLElement>('[aria-haspopup="menu"][aria-label^="More for"]')
  if (!more || (event.target as Element).closest('input, textarea')) return
  event.preventDefault()
  more.click()
}

/** Everything around a project's screens: the header, dropping files anywhere, progress, the line at the foot. */
export function ProjectFrame() {
  const id = useProjectId()
  const project = useProject()
  const jobs = useJobs()
  const bringIn = useImport()
  const { job, report } = useImports()
  const { pathname, search } = useLocation()
  const keep = useAllRemembered((state) => state.keep)
  usePulse()
  useJobEnds()
  const onDrop = (files: File[], _: unknown, event: { target: EventTarget | null }) => {
    // What was dropped on something that takes files itself is not brought in twice.
    if (!(event.target instanceof Element && event.target.closest('[data-takes-files]')))
      bringIn(files)
  }
  const { getRootProps, getInputProps, isDragActive } = useDropzone({
    onDrop,
    noClick: true,
    noKeyboard: true,
  })

  const finished = jobs.data?.find(
    (row) => row.id === job && !['waiting', 'running'].includes(row.state),
  )
  useEffect(() => {
    if (!finished) return
    const result = finished.result as {
      files?: { path: string; outcome?: string; error?: string; waits?: boolean }[]
    } | null
    report(finished.id, result?.files ?? [], finished.state)
  }, [finished, report])
  const [, , , station] = pathname.split('/')
  useEffect(() => {
    // Each station of the trail leads back to where one was on it.
    const asks = new URLSearchParams(search)
    asks.delete('open')
    const rest = asks.size > 0 ? `?${asks}` : ''
    if (id && station) keep(id, `path ${station}`, `${pathname}${rest}`)
  }, [id, keep, pathname, search, station])
  useEffect(
    () => () => {
      // What was said of a screen goes with it; what was done on it is still true.
      useStatus.getState().show('')
      const { current, clear } = useNotices.getState()
      if (current instanceof Error) clear()
    },
    [station],
  )
  useEffect(() => {
    document.title = project.data ? labels.ektopos(project.data.document.name) : labels.ektoposTitle
  }, [project.data])

  if (project.isError) {
    return (
      <main className="empty">
        <h1>{labels.thisProjectIsNotHere}</h1>
        <p>{project.error.message}</p>
        <Button component={Link} to="/">
          {labels.allProjects}
        </Button>
      </main>
    )
  }
  if (!project.data)
    return (
      <main className="empty">
        <p>{labels.opening}</p>
      </main>
    )
  return (
    <Box {...getRootProps()} sx={{ height: '100%' }} onContextMenu={openItsMenu}>
      <input {...getInputProps()} aria-hidden tabIndex={-1} />
      <Frame>
        <Header project={project.data} />
        <main className="screen" key={id}>
          <FailureBoundary place={pathname}>
            <Suspense fallback={<h1 className="empty">{labels.opening}</h1>}>
              <Outlet />
            </Suspense>
          </FailureBoundary>
        </main>
        <RenderBoundary of={pathname}>
          <Suspense fallback={null}>
            <StageKeeper />
          </Suspense>
        </RenderBoundary>
        <div>
          <UpdatedFiles />
          <NewOfSets />
          <ImportsPanel />
        </div>
        <StatusLine />
      </Frame>
      {isDragActive && (
        <div className="drop">
          <b>{labels.dropToImport}</b>
          <span className="small">{labels.mapsMeshesOrAFolderOf}</span>
        </div>
      )}
    </Box>
  )
}
