import { Button } from '@mui/material'
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

/** Every project, and the ways to begin one. */
export function ProjectsScreen() {
  const [naming, setNaming] = useState(false)
  const [erasing, setErasing] = useState<ProjectRow | null>(null)
  const projects = useProjects()
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
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    onDrop: (files) => bring.mutate(files),
    noClick: true,
    noKeyboard: true,
  })

  return (
    <div {...getRootProps()} style={{ display: 'flex', flexDirection: 'column', height: '100%' }}>
      <header className="header" style={{ flex: 'none', height: 48 }}>
        <Mark />
        <span className="grow" />
        <Account />
      </header>
      <main className="scroll">
        <input {...getInputProps({ 'aria-label': 'Project zip to open' })} />
        <div style={{ maxWidth: 860, margin: '40px auto', padding: '0 24px' }}>
          <div className="row" style={{ marginBottom: 16 }}>
            <h1 className="grow" style={{ fontSize: 17 }}>
              Projects
            </h1>
            <Button disabled={sample.isPending} onClick={() => sample.mutate()}>
              {sample.isPending ? 'Making the sample …' : 'Open the sample'}
            </Button>
            <Button onClick={open}>{bring.isPending ? 'Opening …' : 'Open a project zip…'}</Button>
            <Button variant="contained" onClick={() => setNaming(true)}>
              New project
            </Button>
          </div>
          {projects.data?.length === 0 && (
            <div style={{ border: '1px dashed var(--strong)', padding: '20px 24px' }}>
              <h2>No projects yet</h2>
              <p>
                Begin a new one and drop a folder of maps and a mesh on it, drop a project’s zip or
                folder here, or open the sample to look round.
              </p>
              <FirstSteps />
            </div>
          )}
          {projects.data && projects.data.length > 0 && (
            <table
              className="grid"
              style={{ background: 'var(--surface)', border: '1px solid var(--line)' }}
            >
              <thead>
                <tr>
                  <th>Project</th>
                  <th>Maps</th>
                  <th>Materials</th>
                  <th>Meshes</th>
                  <th>Changed</th>
                  <th>
                    <span className="sr">Delete</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {projects.data.map((project) => (
                  <tr key={project.id}>
                    <td style={{ height: 44 }}>
                      <Link to={`/projects/${project.id}/maps`}>
                        <b>{project.name}</b>
                      </Link>
                    </td>
                    <td className="mono">{project.maps}</td>
                    <td className="mono">{project.materials}</td>
                    <td className="mono">{project.meshes}</td>
                    <td className="small">{ago(project.changed)}</td>
                    <td style={{ textAlign: 'right' }}>
                      <Button
                        variant="text"
                        aria-label={`Delete ${project.name}…`}
                        onClick={() => setErasing(project)}
                      >
                        Delete…
                      </Button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          <p className="small" style={{ marginTop: 12 }}>
            {projects.data
              ? count(projects.data.length, 'project')
              : projects.isError
                ? projects.error.message
                : 'Loading …'}{' '}
            on this machine. Drop a project’s zip or folder anywhere here to open it.
          </p>
        </div>
      </main>
      {isDragActive && (
        <div className="drop">
          <b>Drop to open the project</b>
        </div>
      )}
      {erasing && (
        <Confirm
          title={`Delete ${erasing.name}`}
          action="Delete for good"
          close={() => setErasing(null)}
          done={() => remove.mutate(erasing)}
        >
          <p>
            {[
              count(erasing.maps, 'map'),
              count(erasing.materials, 'material'),
              count(erasing.meshes, 'mesh', 'meshes'),
            ].join(', ')}
            , its history and its packages go with it.
          </p>
          <p>
            △ This cannot be undone. Save it as a zip first if you may want it again: open it, then
            “Save project as zip” in the menu of its name.
          </p>
        </Confirm>
      )}
      {naming && (
        <AskName
          title="New project"
          action="Create"
          label="Project name"
          initial="Untitled"
          close={() => setNaming(false)}
          done={(name) => begin.mutate(name)}
        />
      )}
    </div>
  )
}
