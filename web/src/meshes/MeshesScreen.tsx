import { UvDrawerBox } from './styles'
import { styled } from '@mui/material/styles'

import { Suspense, useEffect, useState } from 'react'
import { useParams, useSearchParams } from 'react-router'

import { useEdit, useRecipe, useStepping } from '../api/changes'
import { useMeshes } from '../api/queries'
import type { MeshFacts, MeshStep } from '../api/types'
import { useKeys } from '../components/keys'
import { PickFiles } from '../components/PickFiles'
import { useRemembered } from '../components/remembered'
import { JobProgress } from '../components/JobProgress'
import type { Tried } from '../viewport/SceneSubject'
import { LightTabs } from '../viewport/StageBar'
import { useView } from '../viewport/view'
import { FromMeshFile } from './FromMeshFile'
import type { Asking } from './Dialogs'
import { Dialogs } from './Dialogs'
import { AtlasEstimate } from './AtlasEstimate'
import { Faults } from './Faults'
import { FileScene } from './FileScene'
import { MaterialStrip } from './MaterialStrip'
import { useDensities } from './density'
import type { MeshView } from './measures'
import { VIEW_OF, measureOf } from './measures'
import { MeshHead } from './MeshHead'
import { MeshStage } from './MeshStage'
import { PickBar } from './PickBar'
import { Recipe } from './Recipe'
import { slotActions } from './slotActions'
import { SlotTable } from './SlotTable'
import { Suggestions } from './Suggestions'
import { useChosenSlots } from './useChosenSlots'
import { usePaint } from './usePaint'
import type { PickedFaces } from './usePickedFaces'
import { usePickedFaces } from './usePickedFaces'
import { UvDrawer } from './UvDrawer'
import { labels } from '../words/meshes'

const MeshesBox = styled('div')({
  gridTemplateColumns: 'minmax(0, 1fr) minmax(560px, 50%)',
})

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
        <h1>{labels.noMeshesYet}</h1>
        <p>{labels.dropAMeshOnThisWindow}</p>
        <PickFiles contained />
        <p className="small">{labels.glbGltfWithItsFilesObj}</p>
      </div>
    )
  }
  if (!mesh)
    return (
      <div className="empty">
        <p>{query.isError ? query.error.message : labels.loading}</p>
      </div>
    )
  const picked = params.get('slot')
  const choose = (slot: string | null) => setParams(slot ? { slot } : {}, { replace: true })
  const code = params.get('fault')
  const asked = mesh.faults.findIndex(
    (fault) => fault.code === code && (!picked || !fault.slot || fault.slot === picked),
  )
  return (
    <OneMesh
      key={`${mesh.name} ${code ?? ''}`}
      mesh={mesh}
      meshes={meshes}
      asked={asked < 0 ? null : asked}
      shownBy={VIEW_OF[code ?? ''] ?? null}
      slot={mesh.slots.some((entry) => entry.name === picked) ? picked : null}
      setSlot={choose}
    />
  )
}

interface OneMeshProps {
  mesh: MeshFacts
  meshes: MeshFacts[]
  /** The view that shows what a finding says, where it is no fault. */
  shownBy: MeshView | null
  /** The fault that a finding leads to. */
  asked: number | null
  slot: string | null
  setSlot: (slot: string | null) => void
}

/** The view of a mesh and the fault that is shown in it. A view that was left is there again after a reload; other screens have none of it. */
function useMeshView(asked: number | null, shownBy: MeshView | null) {
  const set = useView((state) => state.set)
  const [view, setView] = useRemembered<MeshView>('mesh view', 'lit')
  const [fault, setFault] = useState<number | null>(asked)
  useEffect(() => {
    const better = asked !== null ? 'faults' : shownBy
    if (better) setView(better)
  }, [asked, setView, shownBy])
  useEffect(() => {
    set({ checker: view === 'checker', backs: view === 'backs' })
    return () => set({ checker: false, backs: false })
  }, [set, view])
  const look = (next: MeshView, at: number | null = null) => {
    setView(next)
    setFault(at)
  }
  return { view, fault, look }
}

function OneMesh({ mesh, meshes, asked, shownBy, slot, setSlot }: OneMeshProps) {
  const edit = useEdit()
  const change = useRecipe()
  const { view, fault, look } = useMeshView(asked, shownBy)
  const [hovered, setHovered] = useState<string | null>(null)
  const [touched, setTouched] = useState<string | null>(null)
  const [hideDone, setHideDone] = useRemembered<boolean>('hide done', false)
  const [asking, setAsking] = useState<Asking | null>(null)
  const [tried, setTried] = useState<Tried | null>(null)
  const picking = usePickedFaces(mesh)
  const { chosen, choose, step } = useChosenSlots({
    mesh,
    slot,
    setSlot,
    hideDone,
    changing: picking.clear,
  })
  const { paint, values, marked, faults } = usePaint(mesh, view, fault, picking.picked)
  const facts = mesh.slots.find((entry) => entry.name === slot)
  const done = (which: string) =>
    void edit({ kind: 'set-done', mesh: mesh.name, slot: which, done: !mesh.done.includes(which) })
  const addStep = (made: MeshStep) => change(mesh.name, { append: made })
  useKeys([
    { key: 'j', words: labels.keyNextSlot, run: () => step(1) },
    { key: 'k', words: labels.keyPreviousSlot, run: () => step(-1) },
    { key: 'd', words: labels.keyDone, run: () => slot && done(slot) },
    { key: 'h', words: labels.keyHideDone, run: () => setHideDone(!hideDone) },
    {
      key: 'Escape',
      words: labels.keyWholeMesh,
      run: () => {
        choose(null)
        picking.stop()
      },
    },
  ])
  const actions = slotActions({
    chosen,
    mesh,
    densities: useDensities(mesh),
    ask: setAsking,
    addStep,
    pickFacesOf: (which) => {
      choose(which)
      picking.setTool('part')
    },
  })
  // What is tried belongs to the mesh that it was begun on.
  const trying = tried?.mesh === mesh.key ? tried : null
  return (
    <MeshesBox className="screen meshes">
      <section className="pane" aria-label={labels.stage}>
        <MeshStage
          {...{ mesh, meshes, slot, view, look, paint, faults, marked, hovered, touched, hideDone }}
          touch={setTouched}
          pick={(which, face, add) =>
            picking.tool === null ? choose(which, add) : picking.add(which, face, add)
          }
          picking={picking.tool}
          reach={picking.reach}
          togglePicking={() => (picking.tool === null ? picking.setTool('part') : picking.stop())}
          tried={trying}
        />
        <Picking mesh={mesh} picking={picking} ask={setAsking} />
        <Progress />
        {facts && mesh.measured && (
          <Suspense fallback={<UvDrawerBox className="uv-drawer" />}>
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
      <section className="pane" aria-label={labels.slots}>
        <MeshHead {...{ mesh, meshes, hideDone, setHideDone }} ask={setAsking} />
        <div className="scroll" tabIndex={-1}>
          <FromMeshFile mesh={mesh} />
          <SlotTable
            {...{ mesh, chosen, hideDone, choose, actions }}
            lit={hovered ?? touched}
            hover={setHovered}
            toggleDone={done}
            rename={(was, name) => addStep({ kind: 'rename-slot', slot: was, name })}
          />
          {slot !== null && <Suggestions mesh={mesh} slot={slot} />}
          <Faults
            mesh={mesh}
            current={view === 'faults' ? fault : null}
            showFaces={(number) => look('faults', number)}
          />
          <AtlasEstimate mesh={mesh.name} />
          <FileScene mesh={mesh} tried={trying} setTried={setTried} />
          <Recipe mesh={mesh} />
        </div>
        <MaterialStrip />
      </section>
      <Dialogs {...{ mesh, chosen, asking, choose }} close={() => setAsking(null)} />
    </MeshesBox>
  )
}

interface PickingProps {
  mesh: MeshFacts
  picking: ReturnType<typeof usePickedFaces>
  ask: (asking: Asking) => void
}

/** What can be done with the faces that are picked. */
function Picking({ mesh, picking, ask }: PickingProps) {
  const change = useRecipe()
  const { tool, setTool, picked, clear, stop } = picking
  if (!tool) return null
  return (
    <PickBar
      {...{ mesh, tool, setTool, picked, clear }}
      move={(goal) =>
        void change(mesh.name, {
          recipe: [...mesh.recipe.map((entry) => entry.step), ...givenTo(goal, picked)],
        }).then((project) => project && clear())
      }
      edit={(action, of, at) => ask({ kind: 'uvs', action, slots: [of], at })}
      close={stop}
    />
  )
}

function Progress() {
  const stepping = useStepping((state) => state.sent.length > 0)
  return (
    <JobProgress
      kinds={['recipe', 'measure', 'occlusion', 'paint', 'embedded', 'match']}
      also={stepping ? labels.makingTheStep : null}
    />
  )
}

/** The steps that give picked faces to a slot, one for each slot that they are of. */
function givenTo(goal: string, picked: PickedFaces): MeshStep[] {
  return Object.entries(picked)
    .filter(([slot]) => slot !== goal)
    .map(([slot, faces]) => ({
      kind: 'split-slot',
      slot,
      by: 'face',
      at: [...faces].sort((a, b) => a - b),
      name: goal,
    }))
}
