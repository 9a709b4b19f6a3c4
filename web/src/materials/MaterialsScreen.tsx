import './materials.css'
import '../stage/stage.css'

import { Button, Menu, MenuItem } from '@mui/material'
import { useState } from 'react'
import { useNavigate, useParams, useSearchParams } from 'react-router'

import { useBoard, useEdit, useLooks, useMeshes, useProject, useProjectId } from '../api/queries'
import type { InputName, Project } from '../api/types'
import { useKeys } from '../layout/keys'
import { AskName } from '../layout/ProjectMenu'
import { count } from '../words'
import { FeedSheet } from './FeedSheet'
import type { Comparison } from './MaterialStage'
import { MaterialStage } from './MaterialStage'
import { useDraft } from './useDraft'

/** Materials: the list, the feed sheet and the stage. */
export function MaterialsScreen() {
  const { name } = useParams()
  const id = useProjectId()
  const project = useProject().data!
  const navigate = useNavigate()
  const names = Object.keys(project.document.materials ?? {})
  const current = name && names.includes(name) ? name : (names[0] ?? null)
  const draft = useDraft(current)
  const [solo, setSolo] = useState<InputName | null>(null)
  const [params] = useSearchParams()
  const [openRow, setOpenRow] = useState<InputName | null>(params.get('open') as InputName | null)
  const [comparison, setComparison] = useState<Comparison | null>(null)
  const go = (material: string) => void navigate(`/projects/${id}/materials/${encodeURIComponent(material)}`)
  const step = (by: number) => {
    const order = ordered(project)
    const next = order[order.findIndex((entry) => entry.name === current) + by]
    if (next) go(next.name)
  }
  useKeys(names.length === 0 ? [] : [
    { key: 'j', words: 'next', run: () => step(1) },
    { key: 'k', words: 'before', run: () => step(-1) },
    { key: 'c', words: 'compare', run: () => setComparison(comparison ? null : openRow ? { kind: 'without', input: openRow } : { kind: 'choose' }) },
    { key: 's', words: 'solo the open row', run: () => setSolo(solo || !openRow ? null : openRow) },
  ])
  if (current === null) return <NoMaterials go={go} />
  return (
    <div className="screen materials">
      <MaterialList project={project} current={current} go={go} />
      <FeedSheet key={current} name={current} draft={draft} solo={solo} setSolo={setSolo} openRow={openRow} setOpenRow={setOpenRow} go={go} compareWithout={(input) => setComparison({ kind: 'without', input })} />
      <MaterialStage key={`stage ${current}`} name={current} sheet={draft.sheet} solo={solo} comparison={comparison} compare={setComparison} />
    </div>
  )
}

/** Materials in order, derived ones under their base. */
function ordered(project: Project): { name: string; depth: number }[] {
  const materials = project.document.materials ?? {}
  const found: { name: string; depth: number }[] = []
  const visit = (name: string, depth: number) => {
    if (found.some((entry) => entry.name === name)) return
    found.push({ name, depth })
    for (const [other, entry] of Object.entries(materials)) if (entry.from === name) visit(other, depth + 1)
  }
  for (const [name, entry] of Object.entries(materials)) if (!entry.from || !(entry.from in materials)) visit(name, 0)
  for (const name of Object.keys(materials)) visit(name, 0)
  return found
}

function MaterialList({ project, current, go }: { project: Project; current: string; go: (name: string) => void }) {
  const looks = useLooks().data ?? {}
  const meshes = useMeshes().data ?? []
  const materials = project.document.materials ?? {}
  return (
    <nav className="pane" aria-label="Materials">
      <div className="bar" style={{ height: 40 }}><h2>Materials</h2><span className="small">{Object.keys(materials).length}</span></div>
      <ul className="material-list scroll" tabIndex={-1}>
        {ordered(project).map(({ name, depth }) => {
          const entry = materials[name]!
          const worn = meshes.filter((mesh) => Object.values(mesh.worn).includes(name)).length
          const short = entry.from && name.startsWith(`${entry.from}_`) ? `…${name.slice(entry.from.length)}` : name
          const own = Object.keys(entry.inputs ?? {}).length
          const key = looks[name]?.picture
          return (
            <li key={name} className={depth > 0 ? 'derived' : ''}>
              <button aria-current={name === current} onClick={() => go(name)} title={name}>
                {key ? <img className="thumb" alt="" src={`/api/material-pictures/${key}/grey-room/96.png`} width={depth ? 30 : 40} height={depth ? 30 : 40} loading="lazy" /> : <span className="thumb swatch" />}
                <span style={{ minWidth: 0 }}>
                  <span className="ellipsis" style={{ display: 'block', fontWeight: name === current ? 600 : 400 }}>{short}</span>
                  <span className="small">{entry.from ? count(own, 'own value') : `${worn ? count(worn, 'mesh', 'meshes') : 'unused'}${entry.surface_tag ? ` · ${entry.surface_tag}` : ''}`}</span>
                </span>
              </button>
            </li>
          )
        })}
      </ul>
      <div className="row" style={{ padding: 12, borderTop: '1px solid var(--line)' }}><NewMaterial go={go} /></div>
    </nav>
  )
}

function NewMaterial({ go, contained = false }: { go: (name: string) => void; contained?: boolean }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const [naming, setNaming] = useState(false)
  const edit = useEdit()
  const project = useProject().data!
  const sets = [...new Set((useBoard().data ?? []).map((map) => map.set))]
  const made = async (change: Parameters<typeof edit>[0]) => {
    const before = new Set(Object.keys(project.document.materials ?? {}))
    const after = await edit(change)
    const fresh = Object.keys(after?.document.materials ?? {}).find((name) => !before.has(name))
    if (fresh) go(fresh)
  }
  return (
    <>
      <Button variant={contained ? 'contained' : 'outlined'} aria-haspopup="menu" onClick={(event) => setAnchor(event.currentTarget)}>New material</Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem onClick={() => { setAnchor(null); setNaming(true) }}>Empty…</MenuItem>
        {sets.map((set) => (
          <MenuItem key={set} onClick={() => { setAnchor(null); void made({ kind: 'material-from-set', set }) }}>From the set {set}</MenuItem>
        ))}
      </Menu>
      {naming && <AskName title="Make a material" label="Material name" initial="material" close={() => setNaming(false)} done={(name) => void made({ kind: 'add-material', name })} />}
    </>
  )
}

function NoMaterials({ go }: { go: (name: string) => void }) {
  return (
    <div className="empty">
      <h1>No materials yet</h1>
      <p>Make one from a map set: each input is fed from the map that holds it. Or begin with an empty one and choose a source for every input.</p>
      <NewMaterial go={go} contained />
    </div>
  )
}
