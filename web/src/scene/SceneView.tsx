import { Over, StageBox, StageNote, StageTrouble } from '../viewport/styles'
import { useCallback, useRef, useState } from 'react'
import { Link } from 'react-router'
import { usePackages } from '../api/jobs'
import { useStatus } from '../api/notices'
import { useOutdatedPackages, useMeshes, useProject, useProjectId } from '../api/queries'
import type { SceneItem } from '../api/types'
import { useRemembered } from '../components/remembered'
import { JobProgress } from '../components/JobProgress'
import { Divider } from '../viewport/Divider'
import { useLentPanorama } from '../viewport/PanoramaPick'
import { newPose } from '../viewport/pose'
import { FollowingStage, Stage } from '../viewport/Stage'
import { LightTabs } from '../viewport/StageBar'
import { StageTools } from '../viewport/StageTools'
import { count } from '../words'
import type { Seen } from './cameraApi'
import { useCameraApi } from './cameraApi'
import { SaveScene, SaveStill } from './SceneExport'
import { SceneContents } from './SceneStage'
import type { Side } from './sides'
import { SIDES, hindrance, packageFor } from './sides'
import { useMoving } from './useMoving'
import { labels } from '../words/scene'

/** The one or two ways that the scene is seen, the package that they show, and what keeps them from being seen. */
function useSides() {
  const project = useProject().data!
  const packages = usePackages().data ?? []
  const outdated = useOutdatedPackages().data ?? []
  const [side, setSide] = useRemembered<Side>('scene side', 'meant')
  const [other, setOther] = useRemembered<Side | null>('scene other side', null)
  const pack = packageFor(packages, project.document.target)
  const shown = other ? [side, other] : [side]
  const showsPackage = shown.some((one) => one !== 'meant')
  return {
    ...{ side, setSide, other, setOther, pack },
    hindered: shown.map((one) => hindrance(one, pack)).find(Boolean),
    isOutdated: showsPackage && pack !== undefined && outdated.includes(pack.id),
  }
}

function Hindered({ why }: { why: string }) {
  const id = useProjectId()
  return (
    <StageTrouble role="status">
      {why} <Link to={`/projects/${id}/export`}>{labels.toExport}</Link>
    </StageTrouble>
  )
}

/** The stage with the scene, seen one way or two ways beside each other. */
export function SceneView({
  items,
  chosen,
  choose,
  move,
  settle,
  nudge,
  alone,
  setAlone,
  step,
}: ViewProps) {
  const project = useProject().data!
  const meshes = useMeshes().data ?? []
  const box = useRef<HTMLDivElement>(null)
  const [pose] = useState(newPose)
  const { side, setSide, other, setOther, pack, hindered, isOutdated } = useSides()
  const [split, setSplit] = useState(0.5)
  const [saving, save] = useState<'still' | 'scene' | null>(null)
  const [seen, setSeen] = useRemembered<string>('scene seen', '')
  const [first] = useState<Seen | null>(() => (seen ? (JSON.parse(seen) as Seen) : null))
  const left = useCallback((view: Seen) => setSeen(JSON.stringify(view)), [setSeen])
  const scene = project.document.scene ?? {}
  useLentPanorama(scene.panorama ?? null)
  const things = (of: Side, main: boolean) => (
    <SceneContents
      scene={scene}
      items={items}
      meshes={meshes}
      pack={pack}
      side={of}
      chosen={chosen}
      hands={
        main ? { choose, move: alone ? () => undefined : move, settle, first, left } : undefined
      }
    />
  )
  return (
    <section className="pane" aria-label={labels.theScene}>
      <StageBox
        ref={box}
        tabIndex={0}
        role="group"
        aria-label={labels.sceneArrowKeysMoveTheChosen}
        onKeyDown={(event) => {
          const by = event.target === event.currentTarget ? ARROWS[event.key] : undefined
          if (!by || chosen === null) return
          event.preventDefault()
          nudge(...by)
        }}
        onKeyUp={(event) => {
          if (event.key in ARROWS) settle()
        }}
        onBlur={settle}
      >
        <Stage size={1} framed={false} label={labels.theScene} pose={pose}>
          {things(side, true)}
        </Stage>
        {other && (
          <Divider split={split} setSplit={setSplit} words={[wordsOf(side), wordsOf(other)]}>
            <FollowingStage size={1} label={labels.theSceneOf(wordsOf(other))} pose={pose}>
              {things(other, false)}
            </FollowingStage>
          </Divider>
        )}
        <SideTabs pressed={side} press={setSide} label={labels.seen} at={{ left: 10 }} />
        {other && (
          <SideTabs pressed={other} press={setOther} label={labels.onTheRight} at={{ right: 10 }} />
        )}
        {hindered && <Hindered why={hindered} />}
        <SceneTools
          comparing={other !== null}
          compare={() => setOther(other ? null : side === 'meant' ? 'arrived' : 'meant')}
          alone={alone}
          setAlone={setAlone}
          step={step}
          fullScreen={() => void box.current?.requestFullscreen()}
          save={save}
        />
        <SceneNote alone={alone ? chosen : null} isOutdated={isOutdated} bottom={other ? 72 : 46} />
      </StageBox>
      <JobProgress kinds={['scene']} />
      <LightTabs />
      {saving === 'still' && <SaveStill name={project.document.name} close={() => save(null)} />}
      {saving === 'scene' && <SaveScene close={() => save(null)} />}
    </section>
  )
}

interface ViewProps {
  items: Record<string, SceneItem>
  chosen: string | null
  choose: (item: string | null) => void
  move: ReturnType<typeof useMoving>['move']
  settle: () => void
  nudge: (x: number, z: number) => void
  alone: boolean
  setAlone: (on: boolean) => void
  step: (by: number) => void
}

/** Metres that an arrow key moves a thing. */
const STEP = 0.1

const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-STEP, 0],
  ArrowRight: [STEP, 0],
  ArrowUp: [0, -STEP],
  ArrowDown: [0, STEP],
}

/** Which way the scene is seen. */
function SideTabs({
  pressed,
  press,
  label,
  at,
}: {
  pressed: Side
  press: (side: Side) => void
  label: string
  at: object
}) {
  const show = useStatus((state) => state.show)
  return (
    <Over style={{ top: 10, ...at }} role="group" aria-label={label}>
      {SIDES.map((entry) => (
        <button
          key={entry.key}
          aria-pressed={pressed === entry.key}
          title={entry.shows}
          onMouseEnter={() => show(entry.shows)}
          onClick={() => press(entry.key)}
        >
          {entry.words}
        </button>
      ))}
    </Over>
  )
}

function SceneTools({
  comparing,
  compare,
  alone,
  setAlone,
  step,
  fullScreen,
  save,
}: Pick<ViewProps, 'alone' | 'setAlone' | 'step'> & {
  comparing: boolean
  compare: () => void
  fullScreen: () => void
  save: (what: 'still' | 'scene') => void
}) {
  return (
    <Over sx={{ right: 10, bottom: 10 }} role="group" aria-label={labels.stage}>
      <button aria-pressed={comparing} title={labels.seeItTwoWaysADivider} onClick={compare}>
        {labels.compare}
      </button>
      <button aria-pressed={alone} title={labels.oneAtATimeInThe} onClick={() => setAlone(!alone)}>
        {labels.oneAtATime}
      </button>
      {alone && (
        <>
          <button aria-label={labels.previous} onClick={() => step(-1)}>
            ◂
          </button>
          <button aria-label={labels.next} onClick={() => step(1)}>
            ▸
          </button>
        </>
      )}
      <button title={labels.allOfItInSight0} onClick={() => useCameraApi.getState().hand?.fit()}>
        {labels.fit}
      </button>
      <StageTools />
      <button title={labels.theSceneOverTheWholeScreen} onClick={fullScreen}>
        {labels.fullScreen}
      </button>
      <button title={labels.saveWhatIsSeenAsA} onClick={() => save('still')}>
        {labels.picture}
      </button>
      <button title={labels.saveTheWholeSceneAsOne} onClick={() => save('scene')}>
        {labels.gltf}
      </button>
    </Over>
  )
}

/** What is drawn, and what of it is not current. */
function SceneNote({
  alone,
  isOutdated,
  bottom,
}: {
  alone: string | null
  isOutdated: boolean
  bottom: number
}) {
  const drawn = useCameraApi((state) => state.drawn)
  const parts = [
    alone,
    drawn && `${count(drawn.draws, 'draw')} · ${count(drawn.triangles, 'triangle')}`,
    isOutdated && labels.thePackageIsOlderThanThe,
  ]
  return (
    <StageNote className="mono" style={{ bottom }}>
      {parts.filter(Boolean).join(' · ')}
    </StageNote>
  )
}

const wordsOf = (side: Side) => SIDES.find((entry) => entry.key === side)!.words.toLowerCase()
