import './meshes.css'
import '../stage/stage.css'

import { Button, Menu, MenuItem, Tab, Tabs } from '@mui/material'
import { Suspense, useMemo, useState } from 'react'
import { useNavigate, useParams, useSearchParams } from 'react-router'

import { useEdit, useRecipe } from '../api/changes'
import { facesWith, useLooks, useMeshes, useProjectId, useTriangles } from '../api/queries'
import type { By, MeshFacts, MeshStep } from '../api/types'
import { PickFiles } from '../components/PickFiles'
import { useRemembered } from '../components/remembered'
import { useKeys } from '../components/keys'
import { useNotices, useStatus } from '../api/notices'
import { DropOn } from '../stage/DropOn'
import { newPose } from '../stage/pose'
import { FollowingStage, Stage } from '../stage/Stage'
import { LightTabs } from '../stage/StageBar'
import { SceneSubject, type Tried } from '../stage/SceneSubject'
import { MeshSubject } from '../stage/Subjects'
import { ViewMenu } from '../stage/ViewMenu'
import { useView } from '../stage/view'
import { count } from '../words'
import { Brings } from './Brings'
import type { Asking } from './Dialogs'
import { Dialogs } from './Dialogs'
import { UV_ACTIONS } from './EditUvs'
import { useDensities } from './density'
import { Faults } from './Faults'
import { FileScene } from './FileScene'
import { Legend } from './Legend'
import { MATERIAL, MaterialStrip } from './MaterialStrip'
import type { MeshView } from './measures'
import { VIEWS, markedOf, measureOf, paintOf } from './measures'
import type { PickedFaces } from './PickBar'
import { PickBar } from './PickBar'
import { Recipe } from './Recipe'
import { SlotTable } from './SlotTable'
import { Suggestions } from './Suggestions'
import { UvDrawer } from './UvDrawer'

/** A mesh and its slots: which faces each covers, what it wears, which maps belong to it, what is wrong with it. */
export function MeshesScreen() {
  const { name } = useParams()
  const [params, setParams] = useSearchParams()
  const query = useMeshes()
  const meshes = query.data ?? []
  const mesh = meshes.find((entry) => entry.name === name) ?? meshes[0]
  if (query.data && !mesh) {
    return (
      <div className="empty">
        <h1>No meshes yet</h1>
        <p>
          Drop a mesh on this window. Its slots appear here, each with its triangles, and you choose
          a material for each.
        </p>
        <PickFiles contained />
        <p className="small">GLB, glTF with its files, OBJ with MTL, PLY, USD</p>
      </div>
    )
  }
  if (!mesh)
    return (
      <div className="empty">
        <p>{query.isError ? query.error.message : 'Loading …'}</p>
      </div>
    )
  const picked = params.get('slot')
  const choose = (slot: string | null) => setParams(slot ? { slot } : {}, { replace: true })
  return (
    <OneMesh
      key={mesh.name}
      mesh={mesh}
      meshes={meshes}
      slot={mesh.slots.some((entry) => entry.name === picked) ? picked : null}
      setSlot={choose}
    />
  )
}

function OneMesh({
  mesh,
  meshes,
  slot,
  setSlot,
}: {
  mesh: MeshFacts
  meshes: MeshFacts[]
  slot: string | null
  setSlot: (slot: string | null) => void
}) {
  const id = useProjectId()
  const navigate = useNavigate()
  const looks = useLooks().data ?? {}
  const edit = useEdit()
  const change = useRecipe()
  const say = useNotices((state) => state.say)
  const show = useStatus((state) => state.show)
  const { turning, setTurning, wire, set } = useView()
  const [view, setView] = useRemembered<MeshView>('mesh view', 'lit')
  const [fault, setFault] = useState<number | null>(null)
  const [hovered, setHovered] = useState<string | null>(null)
  const [touched, setTouched] = useState<string | null>(null)
  const [more, setMore] = useState<string[]>([])
  const [hideDone, setHideDone] = useRemembered<boolean>('hide done', false)
  const [asking, setAsking] = useState<Asking | null>(null)
  const [pickBy, setPickBy] = useState<By | null>(null)
  const [picked, setPicked] = useState<PickedFaces | null>(null)
  const [beside, setBeside] = useState<string | null>(null)
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const [pose] = useState(newPose)
  const [tried, setTried] = useState<Tried | null>(null)
  const names = mesh.slots.map((entry) => entry.name)
  const chosen =
    slot === null ? [] : [slot, ...more.filter((entry) => entry !== slot && names.includes(entry))]
  const facts = mesh.slots.find((entry) => entry.name === slot)
  const other = meshes.find((entry) => entry.name === beside && entry !== mesh)

  const seen = useMemo(
    () => mesh.faults.map((entry, number) => ({ entry, number })).filter(({ entry }) => entry.seen),
    [mesh],
  )
  const marks = view !== 'faults' ? [] : fault !== null ? [fault] : seen.map(({ number }) => number)
  const values = useTriangles(mesh.measured ? mesh.key : '', measureOf(view), marks).data ?? null
  const shown = view === 'faults' && marks.length === 0 ? null : values
  const densities = useDensities(mesh)
  const paint = useMemo(() => {
    const painted =
      shown && (measureOf(view) || view === 'faults') ? paintOf(view, shown, mesh, densities) : {}
    const own = picked && mesh.slots.find((entry) => entry.name === picked.slot)
    return own && picked
      ? { ...painted, [picked.slot]: markedOf(own.triangles, picked.faces) }
      : painted
  }, [densities, mesh, picked, shown, view])

  const choose = (next: string | null, add = false) => {
    setPicked(null)
    if (!add || next === null || slot === null) {
      setMore([])
      setSlot(next)
    } else if (chosen.includes(next)) {
      const left = chosen.filter((entry) => entry !== next)
      setMore(left.slice(1))
      setSlot(left[0] ?? null)
    } else setMore([...more, next])
  }
  const visible = names.filter((entry) => !hideDone || !mesh.done.includes(entry))
  const step = (by: number) => {
    const at = slot === null ? (by > 0 ? -1 : visible.length) : visible.indexOf(slot)
    const next = visible[at + by]
    if (next !== undefined) choose(next)
  }
  const done = (which: string) =>
    void edit({ kind: 'set-done', mesh: mesh.name, slot: which, done: !mesh.done.includes(which) })
  const addStep = (made: MeshStep) => change(mesh.name, { append: made })
  const look = (next: MeshView) => {
    setView(next)
    setFault(null)
    set({ checker: next === 'checker', backs: next === 'backs' })
  }
  const pick = (which: string, face: number, add: boolean) => {
    if (pickBy === null) {
      choose(which, add)
      return
    }
    facesWith(id, mesh.name, which, face, pickBy).then(({ faces }) => {
      const before = picked?.slot === which && add ? picked.faces : new Set<number>()
      const all = faces.every((number) => before.has(number))
      const next = new Set(before)
      faces.forEach((number) => (all && add ? next.delete(number) : next.add(number)))
      setPicked({ slot: which, faces: next })
    }, say)
  }
  useKeys([
    { key: 'j', words: 'next slot', run: () => step(1) },
    { key: 'k', words: 'slot before', run: () => step(-1) },
    { key: 'd', words: 'done', run: () => slot && done(slot) },
    { key: 'h', words: 'hide done', run: () => setHideDone(!hideDone) },
    {
      key: 'Escape',
      words: 'whole mesh',
      run: () => {
        choose(null)
        setPickBy(null)
      },
    },
  ])
  const actions = [
    {
      words: 'Rename the slot…',
      run: (which: string) => setAsking({ kind: 'rename', slot: which }),
    },
    ...(chosen.length > 1
      ? [{ words: `Merge the ${chosen.length} chosen…`, run: () => setAsking({ kind: 'merge' }) }]
      : []),
    {
      words: 'Split by connected parts',
      run: (which: string) => void addStep({ kind: 'split-slot', slot: which, by: 'part' }),
    },
    {
      words: 'Split by UV islands',
      run: (which: string) => void addStep({ kind: 'split-slot', slot: which, by: 'island' }),
    },
    {
      words: 'Split by UV tiles',
      run: (which: string) => void addStep({ kind: 'split-slot', slot: which, by: 'tile' }),
    },
    {
      words: 'Pick faces of it on the stage',
      run: (which: string) => {
        choose(which)
        setPickBy('part')
      },
    },
    ...UV_ACTIONS.map(({ key, words }) => ({
      words,
      run: (which: string) =>
        setAsking({
          kind: 'uvs',
          action: key,
          slots: chosen.includes(which) && key !== 'palette' ? chosen : [which],
        }),
    })),
  ]
  // What is tried belongs to the mesh that it was begun on.
  const trying = tried?.mesh === mesh.key ? tried : null
  const subject = (of: MeshFacts, main: boolean) => (
    <Suspense key={of.name} fallback={null}>
      <MeshSubject
        geometryKey={of.key}
        tint={view === 'slots' ? 'slots' : 'lit'}
        isolated={main ? (hovered ?? null) : null}
        paint={main ? paint : {}}
        hidden={main && hideDone ? of.done.filter((entry) => entry !== slot) : []}
        onHover={main ? setTouched : undefined}
        onPick={main ? pick : undefined}
        slots={of.slots.map((entry) => ({
          slot: entry.name,
          look: looks[of.assigned[entry.name] ?? ''],
        }))}
      />
      {main && (
        <DropOn
          kind={MATERIAL}
          drop={(which, material) =>
            void edit({ kind: 'assign', mesh: of.name, slots: [which], material })
          }
        />
      )}
    </Suspense>
  )
  const size = Math.max(Math.hypot(...mesh.size), other ? Math.hypot(...other.size) : 0) || 1
  return (
    <div className="screen meshes">
      <section className="pane" aria-label="Stage">
        <div className="stage-box">
          {mesh.measured && (
            <div style={{ position: 'absolute', inset: 0, right: other ? '50%' : 0 }}>
              <Stage size={size} label={`${mesh.name} with its slots`} pose={pose}>
                {trying ? (
                  <Suspense fallback={null}>
                    <SceneSubject
                      url={`/api/projects/${id}/meshes/${encodeURIComponent(mesh.name)}/scene.glb?of=${mesh.key}`}
                      looks={Object.fromEntries(
                        mesh.slots.map(({ name }) => [name, looks[mesh.assigned[name] ?? '']]),
                      )}
                      tried={trying}
                    />
                  </Suspense>
                ) : (
                  subject(mesh, true)
                )}
              </Stage>
            </div>
          )}
          {other?.measured && (
            <div
              style={{
                position: 'absolute',
                inset: 0,
                left: '50%',
                borderLeft: '1px solid var(--line)',
                pointerEvents: 'none',
              }}
            >
              <FollowingStage
                key={other.key}
                size={size}
                label={`${other.name} beside it`}
                pose={pose}
              >
                {subject(other, false)}
              </FollowingStage>
            </div>
          )}
          <div
            className="over"
            style={{ left: 10, top: 10, maxWidth: 'calc(100% - 20px)', flexWrap: 'wrap' }}
            role="group"
            aria-label="Shown as"
          >
            {VIEWS.map((entry) => (
              <button
                key={entry.key}
                aria-pressed={view === entry.key}
                onClick={() => look(entry.key)}
                title={entry.shows}
                onMouseEnter={() => show(entry.shows)}
              >
                {entry.words}
                {entry.key === 'faults' && seen.length > 0 ? ` ${seen.length}` : ''}
              </button>
            ))}
          </div>
          <div className="over" style={{ right: 10, bottom: 10 }} role="group" aria-label="Stage">
            <button
              aria-pressed={pickBy !== null}
              title="Choose faces of a slot, to give them a slot or other UVs"
              onClick={() => {
                setPickBy(pickBy === null ? 'part' : null)
                setPicked(null)
              }}
            >
              Pick faces
            </button>
            {meshes.length > 1 && (
              <button
                aria-pressed={other !== undefined}
                title="Show another mesh beside this one"
                aria-haspopup="menu"
                onClick={(event) => (other ? setBeside(null) : setAnchor(event.currentTarget))}
              >
                Beside…
              </button>
            )}
            <button
              aria-pressed={wire}
              title="Show the edges of all triangles"
              onClick={() => set({ wire: !wire })}
            >
              Wireframe
            </button>
            <button
              aria-pressed={turning}
              title="Turn what stands on the stage by itself"
              onClick={() => setTurning(!turning)}
            >
              Turn slowly
            </button>
            <ViewMenu />
          </div>
          <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
            {meshes
              .filter((entry) => entry !== mesh)
              .map((entry) => (
                <MenuItem
                  key={entry.name}
                  onClick={() => {
                    setAnchor(null)
                    setBeside(entry.name)
                  }}
                >
                  {entry.name}
                </MenuItem>
              ))}
          </Menu>
          <Legend view={view} mesh={mesh} marked={marks.length} />
          <span className="stage-note mono" style={{ bottom: 46 }}>
            {touched
              ? `${touched} · ${mesh.assigned[touched] ?? 'no material'}`
              : `${mesh.file.split('/').at(-1)} · ${count(mesh.triangles, 'triangle')} · ${(mesh.size[1] ?? 0).toFixed(2)} m high`}
          </span>
        </div>
        {pickBy && (
          <PickBar
            mesh={mesh}
            by={pickBy}
            setBy={setPickBy}
            picked={picked}
            clear={() => setPicked(null)}
            move={(goal, at) =>
              void addStep({
                kind: 'split-slot',
                slot: picked!.slot,
                by: 'face',
                at,
                name: goal,
              }).then((project) => project && setPicked(null))
            }
            palette={(at) =>
              setAsking({ kind: 'uvs', action: 'palette', slots: [picked!.slot], at })
            }
            close={() => {
              setPickBy(null)
              setPicked(null)
            }}
          />
        )}
        {facts && mesh.measured && (
          <Suspense fallback={<section className="uv-drawer" />}>
            <UvDrawer
              mesh={mesh}
              slot={facts}
              view={view}
              values={measureOf(view) ? values : null}
            />
          </Suspense>
        )}
        <LightTabs />
      </section>
      <section className="pane" aria-label="Slots">
        {meshes.length > 1 && (
          <Tabs
            value={mesh.name}
            onChange={(_, next) =>
              void navigate(`/projects/${id}/meshes/${encodeURIComponent(next)}`)
            }
            variant="scrollable"
            sx={{
              flex: 'none',
              minHeight: 34,
              borderBottom: '1px solid var(--line)',
              '& .MuiTab-root': { minHeight: 34, textTransform: 'none', fontSize: 13 },
            }}
            aria-label="Meshes"
          >
            {meshes.map((entry) => (
              <Tab key={entry.name} value={entry.name} label={entry.name} />
            ))}
          </Tabs>
        )}
        <div className="bar" style={{ gap: 8 }}>
          <h1>{mesh.name}</h1>
          <span className="small">
            {count(mesh.slots.length, 'slot')} · {mesh.done.length} done
          </span>
          <span className="grow" />
          <Button
            title="What every bare slot of all meshes could wear, to be accepted one by one"
            onClick={() => setAsking({ kind: 'propose' })}
          >
            Propose everything
          </Button>
          {meshes.length > 1 && (
            <Button
              variant="text"
              title="Let its slots wear what alike slots of another mesh wear"
              onClick={() => setAsking({ kind: 'alike' })}
            >
              As another…
            </Button>
          )}
          <Button variant="text" onClick={() => setAsking({ kind: 'remove' })}>
            Remove…
          </Button>
          <Button variant="text" aria-pressed={hideDone} onClick={() => setHideDone(!hideDone)}>
            {hideDone ? 'Show done' : 'Hide done'}
          </Button>
        </div>
        <div className="scroll" tabIndex={-1}>
          <Brings mesh={mesh} />
          <SlotTable
            mesh={mesh}
            chosen={chosen}
            lit={hovered ?? touched}
            hideDone={hideDone}
            hover={setHovered}
            choose={choose}
            toggleDone={done}
            actions={actions}
            rename={(was, name) => addStep({ kind: 'rename-slot', slot: was, name })}
          />
          {slot !== null && <Suggestions mesh={mesh} slot={slot} />}
          <Faults
            mesh={mesh}
            current={view === 'faults' ? fault : null}
            showFaces={(number) => {
              setView('faults')
              setFault(number)
            }}
          />
          <FileScene mesh={mesh} tried={trying} setTried={setTried} />
          <Recipe mesh={mesh} />
        </div>
        <MaterialStrip />
      </section>
      <Dialogs
        mesh={mesh}
        chosen={chosen}
        asking={asking}
        close={() => setAsking(null)}
        choose={choose}
      />
    </div>
  )
}
