import { Menu, MenuItem } from '@mui/material'
import { Suspense, useEffect, useState } from 'react'

import { useEdit } from '../api/changes'
import { useStatus } from '../api/notices'
import { useLooks, useProjectId } from '../api/queries'
import type { MeshFacts } from '../api/types'
import { DropOn } from '../viewport/DropOn'
import { MOST, useDecimated } from '../viewport/decimate'
import { newPose } from '../viewport/pose'
import type { Tried } from '../viewport/SceneSubject'
import { SceneSubject } from '../viewport/SceneSubject'
import { FollowingStage, Stage } from '../viewport/Stage'
import type { Faces } from '../viewport/PickIds'
import { PickIds } from '../viewport/PickIds'
import { useRemembered } from '../components/remembered'
import { MeshSubject } from '../viewport/Subjects'
import { StageTools } from '../viewport/StageTools'
import { useView } from '../viewport/view'
import { readable } from '../words'
import { Legend } from './Legend'
import { MATERIAL } from './MaterialStrip'
import type { MeshView } from './measures'
import { VIEWS } from './measures'
import { PickArea } from './PickArea'
import type { PickTool } from './usePickedFaces'
import { labels } from '../words/meshes'

interface Props {
  mesh: MeshFacts
  meshes: MeshFacts[]
  slot: string | null
  view: MeshView
  look: (view: MeshView) => void
  paint: Record<string, Float32Array>
  /** How many faults can be seen, and how many are marked now. */
  faults: number
  marked: number
  hovered: string | null
  touched: string | null
  touch: (slot: string | null) => void
  hideDone: boolean
  pick: (slot: string, face: number, add: boolean) => void
  /** How faces are picked, if they are. */
  picking: PickTool | null
  reach: (faces: Faces, also: boolean) => void
  togglePicking: () => void
  /** An animation or a morph that is being tried. */
  tried: Tried | null
}

/** A mesh on the stage with what its slots wear, in one of the views; another one beside it. */
export function MeshStage({
  mesh,
  meshes,
  slot,
  view,
  look,
  paint,
  faults,
  marked,
  hovered,
  touched,
  touch,
  hideDone,
  pick,
  picking,
  reach,
  togglePicking,
  tried,
}: Props) {
  const id = useProjectId()
  const looks = useLooks().data ?? {}
  const edit = useEdit()
  const show = useStatus((state) => state.show)
  const set = useView((state) => state.set)
  // The wires of a mesh are no part of how a material is looked at.
  const [wire, setWire] = useRemembered<boolean>('meshes wireframe', false)
  useEffect(() => {
    set({ wire })
    return () => set({ wire: false })
  }, [set, wire])
  const [beside, setBeside] = useState<string | null>(null)
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const [pose] = useState(newPose)
  const { ask } = useDecimated.getState()
  const whole = useDecimated((state) => state.whole[mesh.key] ?? false)
  const drawn = useDecimated((state) => state.drawn[mesh.key] ?? 0)
  const other = meshes.find((entry) => entry.name === beside && entry !== mesh)
  const subject = (of: MeshFacts, main: boolean) => (
    <Suspense key={of.name} fallback={null}>
      <MeshSubject
        geometryKey={of.key}
        renamed={of.renamed}
        tint={view === 'slots' ? 'slots' : 'lit'}
        // A chosen slot stays alone until Escape; faces are picked on the whole mesh.
        isolated={main ? (hovered ?? (picking ? null : slot)) : null}
        paint={main ? paint : {}}
        copies={main && view === 'repeats'}
        exact={main && picking !== null}
        hidden={main && hideDone ? of.done.filter((entry) => entry !== slot) : []}
        onHover={main ? touch : undefined}
        onPick={main ? pick : undefined}
        slots={of.slots.map((entry) => ({
          slot: entry.name,
          look: looks[of.assigned[entry.name] ?? ''],
        }))}
      />
      {main && (picking === 'box' || picking === 'brush') && (
        <PickIds
          geometryKey={of.key}
          renamed={of.renamed}
          hidden={hideDone ? of.done.filter((entry) => entry !== slot) : []}
        />
      )}
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
    <div className="stage-box">
      {mesh.measured && (
        <div style={{ position: 'absolute', inset: 0, right: other ? '50%' : 0 }}>
          <Stage size={size} label={labels.withItsSlots(mesh.name)} pose={pose}>
            {tried ? (
              <Suspense fallback={null}>
                <SceneSubject
                  url={`/api/projects/${id}/meshes/${encodeURIComponent(mesh.name)}/scene.glb?of=${mesh.key}`}
                  looks={Object.fromEntries(
                    mesh.slots.map(({ name }) => [name, looks[mesh.assigned[name] ?? '']]),
                  )}
                  renamed={mesh.renamed}
                  tried={tried}
                />
              </Suspense>
            ) : (
              subject(mesh, true)
            )}
          </Stage>
        </div>
      )}
      {(picking === 'box' || picking === 'brush') && <PickArea tool={picking} reach={reach} />}
      {other?.measured && (
        <>
          <span className="beside-name" style={{ left: '25%' }}>
            {mesh.name}
          </span>
          <span className="beside-name" style={{ left: '75%' }}>
            {other.name}
          </span>
        </>
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
            label={labels.besideIt(other.name)}
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
        aria-label={labels.shownAs}
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
            {entry.key === 'faults' && faults > 0 ? ` ${faults}` : ''}
          </button>
        ))}
      </div>
      <div
        className="over"
        style={{ right: 10, bottom: 10 }}
        role="group"
        aria-label={labels.stage}
      >
        <button
          aria-pressed={picking !== null}
          title={labels.chooseFacesOfASlotTo}
          onClick={togglePicking}
        >
          {labels.pickFaces}
        </button>
        {meshes.length > 1 && (
          <button
            aria-pressed={other !== undefined}
            title={labels.showAnotherMeshBesideThisOne}
            aria-haspopup="menu"
            onClick={(event) => (other ? setBeside(null) : setAnchor(event.currentTarget))}
          >
            {labels.beside}
          </button>
        )}
        <button
          aria-pressed={wire}
          title={labels.showTheEdgesOfAllTriangles}
          onClick={() => setWire(!wire)}
        >
          {labels.wireframe}
        </button>
        {mesh.triangles > MOST && (
          <button
            aria-pressed={whole}
            title={labels.drawAllOfItsTrianglesWithout(readable(MOST))}
            onClick={() => ask(mesh.key, !whole)}
          >
            {labels.allTriangles}
          </button>
        )}
        <StageTools />
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
      <Legend view={view} mesh={mesh} marked={marked} />
      <span className="stage-note mono" style={{ bottom: 46 }}>
        {touched
          ? `${touched} · ${mesh.assigned[touched] ?? labels.noMaterial}`
          : labels.trianglesMHigh(
              mesh.file.split('/').at(-1),
              readable(mesh.triangles),
              drawn > 0 && drawn < mesh.triangles ? labels.drawnWith(readable(drawn)) : '',
              (mesh.size[1] ?? 0).toFixed(2),
            )}
      </span>
    </div>
  )
}
