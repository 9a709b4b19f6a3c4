import { Box, Button } from '@mui/material'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useDropzone } from 'react-dropzone'
import { Link, useNavigate } from 'react-router'

import { erase, post } from '../api/client'
import { useProjects } from '../api/queries'
import type { ProjectRow } from '../api/types'
import { Confirm } from '../components/Confirm'
import { useImports } from '../api/imports'
import { Mark } from '../components/Mark'
import { useNotices } from '../api/notices'
import { AskName } from '../components/AskName'
import { FirstSteps } from '../components/FirstSteps'
import { Account } from '../team/Account'
import { ago, count } from '../words'
import { labels } from '../words/projects'

/** Beginning a project, with the sample, from an archive or empty; and deleting one. */
function useBeginning() {
  const navigate = useNavigate()
  const queries = useQueryClient()
  const notice = useNotices((state) => state.say)
  const openProject = useImports((state) => state.openProject)
  const enter = (project: { id: string }) => {
    void queries.invalidateQueries({ queryKey: ['projects'] })
    void navigate(`/projects/${project.id}/maps`)
  }
  const begin = useMutation({
    mutationFn: (name: string) => post('/api/projects', { body: { name } }),
    onSuccess: (project) => {
      queries.setQueryData(['project', project.id], project)
      enter(project)
    },
    onError: notice,
  })
  const sample = useMutation({
    mutationFn: () => post('/api/projects/sample'),
    onSuccess: enter,
    onError: notice,
  })
  const bring = useMutation({
    mutationFn: openProject,
    onSuccess: enter,
    onError: notice,
  })
  const remove = useMutation({
    mutationFn: (project: ProjectRow) =>
      erase('/api/projects/{project_id}', {
        params: { path: { project_id: project.id } },
      }),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ['projects'] }),
    onError: notice,
  })
  return { begin, sample, bring, remove }
}

/** Every project, and the ways to begin one. */
export function ProjectsScreen() {
  const [naming, setNaming] = useState(false)
  const [erasing, setErasing] = useState<ProjectRow | null>(null)
  const projects = useProjects()
  const { begin, sample, bring, remove } = useBeginning()
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    onDrop: (files) => bring.mutate(files),
    noClick: true,
    noKeyboard: true,
  })

  return (
    <Box {...getRootProps()} sx={{ display: 'flex', flexDirection: 'column', height: '100%' }}>
      <Box component="header" className="header" sx={{ flex: 'none', height: 48 }}>
        <Mark />
        <span className="grow" />
        <Account />
      </Box>
      <main className="scroll">
        <input {...getInputProps({ 'aria-label': labels.projectZipToOpen })} />
        <Box sx={{ maxWidth: 860, margin: '40px auto', padding: '0 24px' }}>
          <Box className="row" sx={{ marginBottom: 2 }}>
            <Box component="h1" className="grow" sx={{ fontSize: 17 }}>
              {labels.projects}
            </Box>
            <Button disabled={sample.isPending} onClick={() => sample.mutate()}>
              {sample.isPending ? labels.makingTheSample : labels.openTheSample}
            </Button>
            <Button onClick={open}>
              {bring.isPending ? labels.opening : labels.openAProjectZip}
            </Button>
            <Button variant="contained" onClick={() => setNaming(true)}>
              {labels.newProject}
            </Button>
          </Box>
          {projects.data?.length === 0 && <NoProjects />}
          {projects.data && projects.data.length > 0 && (
            <ProjectTable projects={projects.data} erase={setErasing} />
          )}
          <Box component="p" className="small" sx={{ marginTop: 1.5 }}>
            {labels.onThisMachineDropAProjects(
              projects.data
                ? count(projects.data.length, 'project')
                : projects.isError
                  ? projects.error.message
                  : labels.loading,
            )}
          </Box>
        </Box>
      </main>
      {isDragActive && (
        <div className="drop">
          <b>{labels.dropToOpenTheProject}</b>
        </div>
      )}
      {erasing && (
        <Erase
          project={erasing}
          close={() => setErasing(null)}
          done={() => remove.mutate(erasing)}
        />
      )}
      {naming && (
        <AskName
          title={labels.newProject}
          action={labels.create}
          label={labels.projectName}
          initial={labels.untitled}
          close={() => setNaming(false)}
          done={(name) => begin.mutate(name)}
        />
      )}
    </Box>
  )
}

function NoProjects() {
  return (
    <Box sx={{ border: '1px dashed var(--strong)', p: '20px 24px' }}>
      <h2>{labels.noProjectsYet}</h2>
      <p>{labels.beginANewOneAndDrop}</p>
      <FirstSteps />
    </Box>
  )
}

interface TableProps {
  projects: ProjectRow[]
  erase: (project: ProjectRow) => void
}

function ProjectTable({ projects, erase }: TableProps) {
  return (
    <Box
      component="table"
      className="grid"
      sx={{ background: 'var(--surface)', border: '1px solid var(--line)' }}
    >
      <thead>
        <tr>
          <th>{labels.project}</th>
          <th>{labels.maps}</th>
          <th>{labels.materials}</th>
          <th>{labels.meshes}</th>
          <th>{labels.changed}</th>
          <th>
            <span className="sr">{labels.delete}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {projects.map((project) => (
          <tr key={project.id}>
            <Box component="td" sx={{ height: 44 }}>
              <Link to={`/projects/${project.id}/maps`}>
                <b>{project.name}</b>
              </Link>
            </Box>
            <td className="mono">{project.maps}</td>
            <td className="mono">{project.materials}</td>
            <td className="mono">{project.meshes}</td>
            <td className="small">{ago(project.changed)}</td>
            <Box component="td" sx={{ textAlign: 'right' }}>
              <Button
                variant="text"
                aria-label={labels.deleteOf(project.name)}
                onClick={() => erase(project)}
              >
                {labels.deleteAsk}
              </Button>
            </Box>
          </tr>
        ))}
      </tbody>
    </Box>
  )
}

interface EraseProps {
  project: ProjectRow
  close: () => void
  done: () => void
}

/** Asks before a project is deleted, and says what goes with it. */
function Erase({ project, close, done }: EraseProps) {
  return (
    <Confirm
      title={labels.delete4(project.name)}
      action={labels.deleteForGood}
      close={close}
      done={done}
    >
      <p>
        {labels.itsHistoryAndItsPackagesGo(
          [
            count(project.maps, 'map'),
            count(project.materials, 'material'),
            count(project.meshes, 'mesh', 'meshes'),
          ].join(', '),
        )}
      </p>
      <p>{labels.thisCannotBeUndoneSaveIt}</p>
    </Confirm>
  )
}
