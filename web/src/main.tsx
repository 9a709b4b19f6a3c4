import '@fontsource-variable/atkinson-hyperlegible-next'
import '@fontsource-variable/atkinson-hyperlegible-mono'
import './app.css'

import { GlobalStyles } from '@mui/material'
import CssBaseline from '@mui/material/CssBaseline'
import { ThemeProvider } from '@mui/material/styles'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter, Navigate, Route, Routes } from 'react-router'

import { ApiError } from './api/client'
import { guardLeaving } from './api/queue'
import { ChecksScreen } from './checks/ChecksScreen'
import { ExportScreen } from './export/ExportScreen'
import { NoticeBar } from './layout/NoticeBar'
import { ProjectFrame } from './layout/ProjectFrame'
import { MapsScreen } from './maps/MapsScreen'
import { MaterialsScreen } from './materials/MaterialsScreen'
import { MeshesScreen } from './meshes/MeshesScreen'
import { ProjectsScreen } from './projects/ProjectsScreen'
import { SceneScreen } from './scene/SceneScreen'
import { theme, tokenStyles } from './theme'

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      retry: (failures, problem) =>
        failures < 2 && !(problem instanceof ApiError && problem.status >= 400),
    },
  },
})

guardLeaving()

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <ThemeProvider theme={theme} defaultMode="light">
      <CssBaseline />
      <GlobalStyles styles={tokenStyles} />
      <QueryClientProvider client={queries}>
        {/* A choice is on the page before the next click: no transition, which would let a quick
            hand click what still belongs to the choice before. */}
        <BrowserRouter useTransitions={false}>
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
        </BrowserRouter>
        <NoticeBar />
      </QueryClientProvider>
    </ThemeProvider>
  </StrictMode>,
)
