import { Over, StageBox, StageNote } from '../viewport/styles'
import { styled } from '@mui/material/styles'
import { Box, Menu, MenuItem } from '@mui/material'
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

const BesideName = styled('span')({
  // What stands beside what.
  position: 'absolute',
  bottom: 76,
  transform: 'translateX(-50%)',
  maxWidth: '44%',
  overflow: 'hidden',
  textOverflow: 'ellipsis',
  whiteSpace: 'nowrap',
  padding: '2px 8px',
  border: '1px solid var(--line)',
  borderRadius: 3,
  background: 'var(--surface)',
  fontWeight: 600,
  zIndex: 1,
})

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
export function MeshStage(props: Props) {
  const { mesh, meshes, view, picking, reach, tried } = props
  const [beside, setBeside] = useState<string | null>(null)
  const [pose] = useState(newPose)
  const other = meshes.find((entry) => entry.name === beside && entry !== mesh)
  const size = Math.max(acrossOf(mesh), other ? acrossOf(other) : 0) || 1
  return (
    <StageBox>
      {mesh.measured && (
        <Box sx={{ position: 'absolute', inset: 0, right: other ? '50%' : 0 }}>
          <Stage size={size} label={labels.withItsSlots(mesh.name)} pose={pose}>
            {tried ? <TriedSubject mesh={mesh} tried={tried} /> : <Subject {...props} />}
          </Stage>
        </Box>
      )}
      {(picking === 'box' || picking === 'brush') && <PickArea tool={picking} reach={reach} />}
      {other?.measured && (
        <>
          <BesideName sx={{ left: '25%' }}>{mesh.name}</BesideName>
          <BesideName sx={{ left: '75%' }}>{other.name}</BesideName>
          <Box
            sx={{
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
              <Plain mesh={other} view={view} />
            </FollowingStage>
          </Box>
        </>
      )}
      <Views view={view} look={props.look} faults={props.faults} />
      <Tools {...props} other={other} setBeside={setBeside} />
      <Legend view={view} mesh={mesh} marked={props.marked} />
      <Told mesh={mesh} touched={props.touched} />
    </StageBox>
  )
}

const acrossOf = (mesh: MeshFacts) => Math.hypot(...mesh.size)

/** What each slot of a mesh wears. */
function useWorn(mesh: MeshFacts) {
  const looks = useLooks().data ?? {}
  return mesh.slots.map(({ name }) => ({ slot: name, look: looks[mesh.assigned[name] ?? ''] }))
}

/** The mesh itself: hovered, picked, painted with a measure, and dropped on. */
function Subject({ mesh, slot, view, hovered, touch, pick, ...props }: Props) {
  const edit = useEdit()
  const worn = useWorn(mesh)
  const { picking } = props
  const hidden = props.hideDone ? mesh.done.filter((entry) => entry !== slot) : []
  return (
    <Suspense key={mesh.name} fallback={null}>
      <MeshSubject
        geometryKey={mesh.key}
        renamed={mesh.renamed}
        tint={view === 'slots' ? 'slots' : 'lit'}
        // A chosen slot stays alone until Escape; faces are picked on the whole mesh.
        isolated={hovered ?? (picking ? null : slot)}
        paint={props.paint}
        copies={view === 'repeats'}
        exact={picking !== null}
        hidden={hidden}
        onHover={touch}
        onPick={pick}
        slots={worn}
      />
      {(picking === 'box' || picking === 'brush') && (
        <PickIds geometryKey={mesh.key} renamed={mesh.renamed} hidden={hidden} />
      )}
      <DropOn
        kind={MATERIAL}
        drop={(which, material) =>
          void edit({ kind: 'assign', mesh: mesh.name, slots: [which], material })
        }
      />
    </Suspense>
  )
}

/** Another mesh, only to be seen. */
function Plain({ mesh, view }: Pick<Props, 'mesh' | 'view'>) {
  return (
    <Suspense key={mesh.name} fallback={null}>
      <MeshSubject
        geometryKey={mesh.key}
        renamed={mesh.renamed}
        tint={view === 'slots' ? 'slots' : 'lit'}
        isolated={null}
        slots={useWorn(mesh)}
      />
    </Suspense>
  )
}

/** The mesh as an animation or a morph moves it. */
function TriedSubject({ mesh, tried }: { mesh: MeshFacts; tried: Tried }) {
  const id = useProjectId()
  return (
    <Suspense fallback={null}>
      <SceneSubject
        url={`/api/projects/${id}/meshes/${encodeURIComponent(mesh.name)}/scene.glb?of=${mesh.key}`}
        looks={Object.fromEntries(useWorn(mesh).map(({ slot, look }) => [slot, look]))}
        renamed={mesh.renamed}
        tried={tried}
      />
    </Suspense>
  )
}

function Views({ view, look, faults }: Pick<Props, 'view' | 'look' | 'faults'>) {
  const show = useStatus((state) => state.show)
  return (
    <Over
      sx={{ left: 10, top: 10, maxWidth: 'calc(100% - 20px)', flexWrap: 'wrap' }}
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
    </Over>
  )
}

interface ToolsProps extends Pick<Props, 'mesh' | 'meshes' | 'picking' | 'togglePicking'> {
  /** The mesh beside it, if there is one. */
  other: MeshFacts | undefined
  setBeside: (name: string | null) => void
}

function Tools({ mesh, meshes, picking, togglePicking, other, setBeside }: ToolsProps) {
  const { ask } = useDecimated.getState()
  const whole = useDecimated((state) => state.whole[mesh.key] ?? false)
  return (
    <Over sx={{ right: 10, bottom: 10 }} role="group" aria-label={labels.stage}>
      <button
        aria-pressed={picking !== null}
        title={labels.chooseFacesOfASlotTo}
        onClick={togglePicking}
      >
        {labels.pickFaces}
      </button>
      <Beside mesh={mesh} meshes={meshes} other={other} setBeside={setBeside} />
      <Wireframe />
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
    </Over>
  )
}

type BesideProps = Pick<ToolsProps, 'mesh' | 'meshes' | 'other' | 'setBeside'>

/** Puts another mesh beside this one, or takes it away. */
function Beside({ mesh, meshes, other, setBeside }: BesideProps) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  if (meshes.length < 2) return null
  return (
    <>
      <button
        aria-pressed={other !== undefined}
        title={labels.showAnotherMeshBesideThisOne}
        aria-haspopup="menu"
        onClick={(event) => (other ? setBeside(null) : setAnchor(event.currentTarget))}
      >
        {labels.beside}
      </button>
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
    </>
  )
}

/** The wires of a mesh are no part of how a material is looked at: on here, off when the screen is left. */
function Wireframe() {
  const set = useView((state) => state.set)
  const [wire, setWire] = useRemembered<boolean>('meshes wireframe', false)
  useEffect(() => {
    set({ wire })
    return () => set({ wire: false })
  }, [set, wire])
  return (
    <button
      aria-pressed={wire}
      title={labels.showTheEdgesOfAllTriangles}
      onClick={() => setWire(!wire)}
    >
      {labels.wireframe}
    </button>
  )
}

/** The slot under the pointer and what it wears; without one, what the mesh is. */
function Told({ mesh, touched }: Pick<Props, 'mesh' | 'touched'>) {
  const drawn = useDecimated((state) => state.drawn[mesh.key] ?? 0)
  const fewer = drawn > 0 && drawn < mesh.triangles ? labels.drawnWith(readable(drawn)) : ''
  return (
    <StageNote className="mono" sx={{ bottom: 46 }}>
      {touched
        ? `${touched} · ${mesh.assigned[touched] ?? labels.noMaterial}`
        : labels.trianglesMHigh(
            mesh.file.split('/').at(-1),
            readable(mesh.triangles),
            fewer,
            (mesh.size[1] ?? 0).toFixed(2),
          )}
    </StageNote>
  )
}
