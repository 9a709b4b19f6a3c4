import './meshes.css'
import '../stage/stage.css'

import { Checkbox, MenuItem, Select, Tab, Tabs } from '@mui/material'
import { Suspense, useState } from 'react'
import { useNavigate, useParams, useSearchParams } from 'react-router'

import { useEdit, useLooks, useMeshes, useProject, useProjectId } from '../api/queries'
import type { MeshFacts, SlotFacts } from '../api/types'
import { PickFiles } from '../layout/PickFiles'
import { useKeys } from '../layout/keys'
import { useStatus } from '../layout/notices'
import { Stage } from '../stage/Stage'
import { LightTabs } from '../stage/StageBar'
import { MeshSubject } from '../stage/Subjects'
import { ViewMenu } from '../stage/ViewMenu'
import { useView } from '../stage/view'
import { SLOT_TINTS } from '../theme'
import { count } from '../words'

/** A mesh and its slots: which faces each covers, what it wears, what is wrong with it. */
export function MeshesScreen() {
  const { name } = useParams()
  const [params, setParams] = useSearchParams()
  const id = useProjectId()
  const navigate = useNavigate()
  const found = useMeshes()
  const looks = useLooks().data ?? {}
  const edit = useEdit()
  const { turning, setTurning, wire, set } = useView()
  const [tint, setTint] = useState<'lit' | 'slots'>('lit')
  const [hovered, setHovered] = useState<string | null>(null)
  const [touched, setTouched] = useState<string | null>(null)
  const meshes = found.data ?? []
  const mesh = meshes.find((entry) => entry.name === name) ?? meshes[0]
  const names = mesh?.slots.map((slot) => slot.name) ?? []
  const picked = params.get('slot')
  const chosen = picked !== null && names.includes(picked) ? picked : null
  const choose = (slot: string | null) => setParams(slot ? { slot } : {}, { replace: true })
  const step = (by: number) => {
    const at = chosen === null ? (by > 0 ? -1 : names.length) : names.indexOf(chosen)
    const next = names[at + by]
    if (next !== undefined) choose(next)
  }
  const done = (slot: string) => mesh && void edit({ kind: 'set-done', mesh: mesh.name, slot, done: !mesh.done.includes(slot) })
  useKeys(mesh ? [
    { key: 'j', words: 'next slot', run: () => step(1) },
    { key: 'k', words: 'slot before', run: () => step(-1) },
    { key: 'd', words: 'done', run: () => chosen && done(chosen) },
    { key: 'Escape', words: 'whole mesh', run: () => choose(null) },
  ] : [])

  if (found.data && !mesh) {
    return (
      <div className="empty">
        <h1>No meshes yet</h1>
        <p>Drop a mesh on this window. Its slots appear here, each with its triangles, and you choose a material for each.</p>
        <PickFiles contained />
        <p className="small">GLB, glTF with its files, OBJ with MTL</p>
      </div>
    )
  }
  if (!mesh) return <div className="empty"><p>{found.isError ? found.error.message : 'Loading …'}</p></div>
  const size = Math.hypot(...mesh.size) || 1
  return (
    <div className="screen meshes">
      <section className="pane" aria-label="Stage">
        <div className="stage-box">
          {mesh.measured && (
            <Stage key={mesh.key} size={size} label={`${mesh.name} with its slots`}>
              <Suspense fallback={null}>
                <MeshSubject
                  geometryKey={mesh.key} tint={tint} isolated={hovered ?? null} onHover={setTouched} onPick={choose}
                  slots={mesh.slots.map((slot) => ({ slot: slot.name, look: looks[mesh.worn[slot.name] ?? ''] }))}
                />
              </Suspense>
            </Stage>
          )}
          <div className="over" style={{ left: 12, top: 10 }} role="group" aria-label="Shown as">
            <button aria-pressed={tint === 'lit'} onClick={() => setTint('lit')}>Lit</button>
            <button aria-pressed={tint === 'slots'} onClick={() => setTint('slots')}>Slots</button>
            <button aria-pressed={wire} onClick={() => set({ wire: !wire })}>Wireframe</button>
            <button aria-pressed={turning} onClick={() => setTurning(!turning)}>Turn slowly</button>
            <ViewMenu />
          </div>
          <span className="stage-note mono">
            {touched ? `${touched} · ${mesh.worn[touched] ?? 'no material'}` : `${mesh.file.split('/').at(-1)} · ${count(mesh.triangles, 'triangle')} · ${(mesh.size[1] ?? 0).toFixed(2)} m high`}
          </span>
        </div>
        <LightTabs />
      </section>
      <section className="pane" aria-label="Slots">
        {meshes.length > 1 && (
          <Tabs value={mesh.name} onChange={(_, next) => void navigate(`/projects/${id}/meshes/${encodeURIComponent(next)}`)} variant="scrollable" sx={{ minHeight: 34, borderBottom: '1px solid var(--line)', '& .MuiTab-root': { minHeight: 34, textTransform: 'none', fontSize: 13 } }} aria-label="Meshes">
            {meshes.map((entry) => <Tab key={entry.name} value={entry.name} label={entry.name} />)}
          </Tabs>
        )}
        <div className="bar" style={{ gap: 8 }}>
          <h1>{mesh.name}</h1>
          <span className="small">{count(mesh.slots.length, 'slot')} · {mesh.done.length} done</span>
        </div>
        <div className="scroll" tabIndex={-1}>
          <SlotTable mesh={mesh} chosen={chosen} lit={hovered ?? touched} hover={setHovered} choose={choose} toggleDone={done} />
          <Faults mesh={mesh} />
        </div>
      </section>
    </div>
  )
}

function SlotTable({ mesh, chosen, lit, hover, choose, toggleDone }: { mesh: MeshFacts; chosen: string | null; lit: string | null; hover: (slot: string | null) => void; choose: (slot: string) => void; toggleDone: (slot: string) => void }) {
  const edit = useEdit()
  const looks = useLooks().data ?? {}
  const materials = Object.keys(useProject().data?.document.materials ?? {})
  const show = useStatus((state) => state.show)
  if (!mesh.measured) return <p className="quiet" style={{ padding: 14 }}>The mesh’s file is missing or still being measured.</p>
  return (
    <table className="grid slots">
      <thead><tr><th><span className="sr">Tint</span></th><th>Slot</th><th>Triangles</th><th>Density</th><th>UVs</th><th>Material</th><th>Done</th></tr></thead>
      <tbody>
        {mesh.slots.map((slot, index) => {
          const worn = mesh.worn[slot.name] ?? ''
          const key = looks[worn]?.picture
          return (
            <tr
              key={slot.name} className={slot.name === chosen || slot.name === lit ? 'current' : ''}
              onMouseEnter={() => { hover(slot.name); show(`${slot.name} · ${slot.area.toPrecision(3)} m² · covers ${Math.round(slot.uv.coverage * 100)} % of 0–1`) }} onMouseLeave={() => hover(null)}
            >
              <td style={{ width: 30 }}><span className="badge" style={{ background: SLOT_TINTS[index % SLOT_TINTS.length] }}>{index + 1}</span></td>
              <td><button className="plain" aria-pressed={slot.name === chosen} onClick={() => choose(slot.name)} onFocus={() => hover(slot.name)} onBlur={() => hover(null)}><b>{slot.name}</b></button></td>
              <td className="mono">{slot.triangles.toLocaleString('en-GB')} <span className="quiet">{Math.round(slot.share * 100)} %</span></td>
              <td className="mono">{slot.density == null ? '–' : `${slot.density.toPrecision(3)} /m`}</td>
              <td><UvState slot={slot} /></td>
              <td>
                <div className="row">
                  {key ? <img className="thumb" src={`/api/material-pictures/${key}/grey-room/96.png`} width={28} height={28} alt="" /> : <span className="thumb" style={{ width: 28, height: 28, background: 'none', borderStyle: 'dashed' }} />}
                  <Select
                    size="small" variant="outlined" displayEmpty value={materials.includes(worn) ? worn : ''} sx={{ minWidth: 128, maxWidth: 150, '& .MuiSelect-select': { padding: '3px 8px' } }}
                    SelectDisplayProps={{ 'aria-label': `Material of ${slot.name}` }}
                    // The list belongs to the row for the browser's events, and closes under the pointer: nobody says that it left.
                    onClose={() => hover(null)}
                    onChange={(event) => void edit({ kind: 'assign', mesh: mesh.name, slots: [slot.name], material: event.target.value || null })}
                    renderValue={(value) => value || <span className="accent">Choose…</span>}
                  >
                    <MenuItem value="">none</MenuItem>
                    {materials.map((material) => <MenuItem key={material} value={material}>{material}</MenuItem>)}
                  </Select>
                </div>
              </td>
              <td><Checkbox checked={mesh.done.includes(slot.name)} onChange={() => toggleDone(slot.name)} slotProps={{ input: { 'aria-label': `${slot.name} is done` } }} /></td>
            </tr>
          )
        })}
      </tbody>
    </table>
  )
}

function UvState({ slot }: { slot: SlotFacts }) {
  if (slot.uv.min == null) return <span className="chip brick">! none</span>
  if (!slot.uv.inside) {
    const reach = Math.max(...slot.uv.max!.map((high, axis) => high - slot.uv.min![axis]!))
    return reach > 1.5 ? <span className="chip">tiles {reach.toFixed(1)}×</span> : <span className="chip amber">△ outside</span>
  }
  return slot.uv.overlap > 0.02 ? <span className="chip">overlap {Math.round(slot.uv.overlap * 100)} %</span> : <span className="chip">unique</span>
}

function Faults({ mesh }: { mesh: MeshFacts }) {
  return (
    <section style={{ padding: 14 }} aria-label="Faults">
      <h2>{mesh.faults.length ? 'What was found on the mesh' : mesh.measured ? 'No faults found' : ''}</h2>
      <ul className="evidence">
        {mesh.faults.map((fault) => (
          <li key={`${fault.code}${fault.slot}`}><span className="amber">△</span><span>{fault.slot && <b>{fault.slot}: </b>}{fault.message}</span></li>
        ))}
        {mesh.notes.map((note) => <li key={note}><span>·</span><span>{note}</span></li>)}
      </ul>
    </section>
  )
}
