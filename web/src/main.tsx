import { styled } from '@mui/material/styles'
import '@fontsource-variable/atkinson-hyperlegible-next'
import '@fontsource-variable/atkinson-hyperlegible-mono'
import './app.css'

import { GlobalStyles } from '@mui/material'
import CssBaseline from '@mui/material/CssBaseline'
import { ThemeProvider } from '@mui/material/styles'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode, lazy } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter, Navigate, Route, Routes } from 'react-router'

import { ApiError } from './api/client'
import { guardLeaving } from './api/queue'
import { FailureBoundary } from './components/FailureBoundary'
import { NoticeBar } from './shell/NoticeBar'
import { ProjectFrame } from './shell/ProjectFrame'
import { MapsScreen } from './maps/MapsScreen'
import { ProjectsScreen } from './projects/ProjectsScreen'
import { theme, tokenStyles } from './theme'

const WithNotices = styled('div')({
  // A notice has a line of its own at the foot: it lies on nothing, and takes no click.
  display: 'grid',
  gridTemplate: 'minmax(0, 1fr) auto / minmax(0, 1fr)',
  height: '100%',
  '& > div': {
    minHeight: 0,
    overflow: 'auto',
  },
})

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      retry: (failures, problem) =>
        failures < 2 && !(problem instanceof ApiError && problem.status >= 400),
    },
  },
})

// Whatever draws in three dimensions is not needed for the first page: it is asked for while nothing else is done, and at the
// latest when its screen is opened.
const rooms = {
  materials: () => import('./materials/MaterialsScreen'),
  meshes: () => import('./meshes/MeshesScreen'),
  scene: () => import('./scene/SceneScreen'),
  checks: () => import('./checks/ChecksScreen'),
  export: () => import('./export/ExportScreen'),
}
const MaterialsScreen = lazy(() =>
  rooms.materials().then((room) => ({ default: room.MaterialsScreen })),
)
const MeshesScreen = lazy(() => rooms.meshes().then((room) => ({ default: room.MeshesScreen })))
const SceneScreen = lazy(() => rooms.scene().then((room) => ({ default: room.SceneScreen })))
const ChecksScreen = lazy(() => rooms.checks().then((room) => ({ default: room.ChecksScreen })))
const ExportScreen = lazy(() => rooms.export().then((room) => ({ default: room.ExportScreen })))
// One that fails now is asked for again, and its failure said, when it is opened.
const fetchRooms = () => Object.values(rooms).forEach((load) => void load().catch(() => null))
// Not every browser says when it is idle.
if ('requestIdleCallback' in window) requestIdleCallback(fetchRooms, { timeout: 2000 })
else setTimeout(fetchRooms, 1000)

guardLeaving()

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <ThemeProvider theme={theme} defaultMode="light">
      <CssBaseline />
      <GlobalStyles styles={tokenStyles} />
      <QueryClientProvider client={queries}>
        {/* A choice is on the page before the next click: no transition, which would let a quick
            hand click what still belongs to the choice before. */}
        <WithNotices>
          <div>
            <BrowserRouter useTransitions={false}>
              <FailureBoundary>
                <Routes>
                  <Route path="/" element={<ProjectsScreen />} />
                  <Route path="/projects/:projectId" element={<ProjectFrame />}>
                    <Route index element={<Navigate to="maps" replace />} />
                    <Route path="maps/:name?" element={<MapsScreen />} />
                    <Route path="materials/:name?" element={<MaterialsScreen />} />
                    <Route path="meshes/:name?" element={<MeshesScreen />} />
                    <Route path="scene" element={<SceneScreen />} />
                    <Route path="checks" element={<ChecksScreen />} />
                    <Route path="export" element={<ExportScreen />} />
                  </Route>
                  <Route path="*" element={<Navigate to="/" replace />} />
                </Routes>
              </FailureBoundary>
            </BrowserRouter>
          </div>
          <NoticeBar />
        </WithNotices>
      </QueryClientProvider>
    </ThemeProvider>
  </StrictMode>,
)
