import './scene.css'

import { Button, Menu, MenuItem } from '@mui/material'
import { useCallback, useMemo, useRef, useState } from 'react'
import { Link } from 'react-router'

import { useEdit } from '../api/changes'
import { get } from '../api/client'
import { usePackages } from '../api/jobs'
import { useNotices, useStatus } from '../api/notices'
import { useOutdatedPackages, useMeshes, useProject, useProjectId } from '../api/queries'
import type { SceneItem } from '../api/types'
import { useKeys } from '../components/keys'
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
import { ItemFields } from './ItemFields'
import { SaveScene, SaveStill } from './SceneExport'
import { STANDS, rounded } from './place'
import { SceneContents } from './SceneStage'
import type { Side } from './sides'
import { SIDES, hindrance, packageFor } from './sides'
import { GroundFields, PanoramaField, SunFields, Views } from './Surroundings'
import { useMoving } from './useMoving'
import { labels } from '../words/scene'

/** Metres that an arrow key moves a thing. */
const STEP = 0.1

/** The project's assets side by side on a ground under one light, as meant and as arrived. */
export function SceneScreen() {
  const id = useProjectId()
  const project = useProject().data!
  const meshes = useMeshes().data
  const edit = useEdit()
  const say = useNotices((state) => state.say)
  const scene = project.document.scene ?? {}
  const stated = useMemo(() => scene.items ?? {}, [scene.items])
  const names = Object.keys(stated)
  const { moving, move, settle } = useMoving()
  const [wanted, choose] = useRemembered<string | null>('scene item', null)
  const [alone, setAlone] = useRemembered<boolean>('scene one at a time', false)
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const chosen = wanted !== null && wanted in stated ? wanted : alone ? (names[0] ?? null) : null
  const items = useMemo(() => {
    const held =
      moving && stated[moving.item]
        ? { ...stated, [moving.item]: { ...stated[moving.item]!, ...moving.change } }
        : stated
    if (!alone || chosen === null) return held
    // One at a time, each where the one before it was: the camera stays.
    const { position, repeat } = STANDS
    return {
      [chosen]: { ...held[chosen]!, position: [...position], repeat: [...repeat] },
    } as Record<string, SceneItem>
  }, [alone, chosen, moving, stated])

  const stand = async (which: string[]) => {
    setAnchor(null)
    try {
      const places = await get('/api/projects/{project_id}/scene/default-placement', {
        params: { path: { project_id: id }, query: { meshes: which } },
      })
      const made = await edit({ kind: 'stand', items: places })
      const [first] = Object.keys(places)
      if (made && first && which.length === 1) choose(first)
    } catch (problem) {
      say(problem as Error)
    }
  }
  const take = (item: string) => {
    choose(null)
    void edit({ kind: 'take-away', items: [item] })
  }
  const step = (by: number) => {
    if (names.length === 0) return
    const at = chosen === null ? (by > 0 ? -1 : 0) : names.indexOf(chosen)
    choose(names[(at + by + names.length) % names.length]!)
  }
  const nudge = (x: number, z: number) => {
    if (chosen === null || alone) return
    const { position } = { ...STANDS, ...items[chosen] }
    move(chosen, {
      position: [rounded(position[0] + x, 3), position[1], rounded(position[2] + z, 3)],
    })
  }
  useKeys([
    { key: 'PageDown', words: labels.keyNext, run: () => step(1) },
    { key: 'PageUp', words: labels.keyPrevious, run: () => step(-1) },
    ...(chosen !== null && !alone
      ? [
          { key: 'Delete', words: labels.keyRemove, run: () => take(chosen) },
          { key: 'Escape', words: labels.keyClearSelection, run: () => choose(null) },
        ]
      : []),
    { key: '0', words: labels.keyFrameEverything, run: () => useCameraApi.getState().hand?.fit() },
  ])

  if (!meshes) return <p style={{ padding: 14 }}>{labels.loading}</p>
  const ready = meshes.filter((mesh) => mesh.measured)
  if (names.length === 0) {
    return (
      <div className="empty">
        <h1>{labels.theSceneIsEmpty}</h1>
        {meshes.length === 0 ? (
          <>
            <p>{labels.importMeshesAssignMaterialsToTheir}</p>
            <Button component={Link} to={`/projects/${id}/meshes`}>
              {labels.importAMesh}
            </Button>
          </>
        ) : (
          <>
            <p>{labels.standTheProjectsMeshesSideBy}</p>
            <Button
              variant="contained"
              disabled={ready.length < meshes.length}
              onClick={() => void stand(ready.map((mesh) => mesh.name))}
            >
              {ready.length < meshes.length
                ? labels.measuringMeshes
                : ready.length === 1
                  ? labels.addToTheScene(ready[0]!.name)
                  : labels.addSideBySide(count(ready.length, 'mesh', 'meshes'))}
            </Button>
          </>
        )}
      </div>
    )
  }
  const shown = chosen === null ? undefined : stated[chosen]
  return (
    <div className="screen scene">
      <section className="pane" aria-label={labels.whatStandsInTheScene}>
        <div className="bar">
          <h1 className="grow">{labels.scene}</h1>
          <Button aria-haspopup="menu" onClick={(event) => setAnchor(event.currentTarget)}>
            {labels.addMesh}
          </Button>
          <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
            {ready.map((mesh) => (
              <MenuItem key={mesh.name} onClick={() => void stand([mesh.name])}>
                {mesh.name}
              </MenuItem>
            ))}
            {ready.length > 1 && (
              <MenuItem divider onClick={() => void stand(ready.map((mesh) => mesh.name))}>
                {labels.allSideBySide(ready.length)}
              </MenuItem>
            )}
          </Menu>
        </div>
        <ul className="scene-items" aria-label={labels.thingsInTheScene}>
          {names.map((name) => (
            <li key={name}>
              <button
                aria-pressed={name === chosen}
                onClick={() => choose(name === chosen && !alone ? null : name)}
              >
                <span className="grow ellipsis">{name}</span>
                <span className="small">{worded(stated[name]!, name)}</span>
              </button>
            </li>
          ))}
        </ul>
        <div style={{ overflow: 'auto', flex: 'none', maxHeight: '62%' }}>
          {chosen !== null && shown && !alone && (
            <ItemFields
              key={chosen}
              name={chosen}
              item={moving?.item === chosen ? { ...shown, ...moving.change } : shown}
              meshes={meshes}
              taken={() => take(chosen)}
            />
          )}
          <GroundFields
            scene={scene}
            materials={Object.keys(project.document.materials ?? {}).sort()}
          />
          <SunFields scene={scene} />
          <PanoramaField scene={scene} />
          <Views scene={scene} />
        </div>
      </section>
      <SceneView
        items={items}
        chosen={chosen}
        choose={choose}
        move={move}
        settle={settle}
        nudge={nudge}
        alone={alone}
        setAlone={(on) => {
          setAlone(on)
          if (on && chosen === null) choose(names[0] ?? null)
        }}
        step={step}
      />
    </div>
  )
}

/** What a row says beside a thing's name. */
function worded(item: SceneItem, name: string): string {
  const { repeat, scale } = { ...STANDS, ...item }
  const times = repeat[0] * repeat[1]
  return [
    name.startsWith(item.mesh) ? '' : item.mesh,
    times > 1 ? labels.times(times) : '',
    scale === 1 ? '' : labels.size(rounded(scale, 3)),
  ]
    .filter(Boolean)
    .join(' · ')
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

/** The stage with the scene, seen one way or two ways beside each other. */
function SceneView({
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
  const id = useProjectId()
  const project = useProject().data!
  const meshes = useMeshes().data ?? []
  const packages = usePackages().data ?? []
  const show = useStatus((state) => state.show)
  const box = useRef<HTMLDivElement>(null)
  const [pose] = useState(newPose)
  const [side, setSide] = useRemembered<Side>('scene side', 'meant')
  const [other, setOther] = useRemembered<Side | null>('scene other side', null)
  const [split, setSplit] = useState(0.5)
  const [saving, save] = useState<'still' | 'scene' | null>(null)
  const [seen, setSeen] = useRemembered<string>('scene seen', '')
  const drawn = useCameraApi((state) => state.drawn)
  const [first] = useState<Seen | null>(() => (seen ? (JSON.parse(seen) as Seen) : null))
  const left = useCallback((view: Seen) => setSeen(JSON.stringify(view)), [setSeen])
  const scene = project.document.scene ?? {}
  useLentPanorama(scene.panorama ?? null)
  const pack = packageFor(packages, project.document.target)
  const missing = [side, other].flatMap((one) => (one ? (hindrance(one, pack) ?? []) : []))
  const outdated = useOutdatedPackages().data ?? []
  const behind = pack && outdated.includes(pack.id) && (side !== 'meant' || other)
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
  const sides = (pressed: Side, press: (side: Side) => void, label: string, at: object) => (
    <div className="over" style={{ top: 10, ...at }} role="group" aria-label={label}>
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
    </div>
  )
  const arrows: Record<string, [number, number]> = {
    ArrowLeft: [-STEP, 0],
    ArrowRight: [STEP, 0],
    ArrowUp: [0, -STEP],
    ArrowDown: [0, STEP],
  }
  return (
    <section className="pane" aria-label={labels.theScene}>
      <div
        className="stage-box"
        ref={box}
        tabIndex={0}
        role="group"
        aria-label={labels.sceneArrowKeysMoveTheChosen}
        onKeyDown={(event) => {
          const by = event.target === event.currentTarget ? arrows[event.key] : undefined
          if (!by || chosen === null) return
          event.preventDefault()
          nudge(...by)
        }}
        onKeyUp={(event) => {
          if (event.key in arrows) settle()
        }}
        onBlur={settle}
      >
        <Stage size={1} framed={false} label={labels.theScene} pose={pose}>
          {things(side, true)}
        </Stage>
        {other && (
          <Divider split={split} setSplit={setSplit} words={[wordsOf(side), wordsOf(other)]}>
            <FollowingStage size={1} label={labels.theScene2(wordsOf(other))} pose={pose}>
              {things(other, false)}
            </FollowingStage>
          </Divider>
        )}
        {sides(side, setSide, labels.seen, { left: 10 })}
        {other && sides(other, setOther, labels.onTheRight, { right: 10 })}
        {missing.length > 0 && (
          <p className="stage-trouble" role="status">
            {missing[0]} <Link to={`/projects/${id}/export`}>{labels.toExport}</Link>
          </p>
        )}
        <div
          className="over"
          style={{ right: 10, bottom: 10 }}
          role="group"
          aria-label={labels.stage}
        >
          <button
            aria-pressed={other !== null}
            title={labels.seeItTwoWaysADivider}
            onClick={() => setOther(other ? null : side === 'meant' ? 'arrived' : 'meant')}
          >
            {labels.compare}
          </button>
          <button
            aria-pressed={alone}
            title={labels.oneAtATimeInThe}
            onClick={() => setAlone(!alone)}
          >
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
          <button
            title={labels.allOfItInSight0}
            onClick={() => useCameraApi.getState().hand?.fit()}
          >
            {labels.fit}
          </button>
          <StageTools />
          <button
            title={labels.theSceneOverTheWholeScreen}
            onClick={() => void box.current?.requestFullscreen()}
          >
            {labels.fullScreen}
          </button>
          <button title={labels.saveWhatIsSeenAsA} onClick={() => save('still')}>
            {labels.picture}
          </button>
          <button title={labels.saveTheWholeSceneAsOne} onClick={() => save('scene')}>
            {labels.gltf}
          </button>
        </div>
        <span className="stage-note mono" style={{ bottom: other ? 72 : 46 }}>
          {[
            alone && chosen,
            drawn && `${count(drawn.draws, 'draw')} · ${count(drawn.triangles, 'triangle')}`,
            behind && labels.thePackageIsOlderThanThe,
          ]
            .filter(Boolean)
            .join(' · ')}
        </span>
      </div>
      <JobProgress kinds={['scene']} />
      <LightTabs />
      {saving === 'still' && <SaveStill name={project.document.name} close={() => save(null)} />}
      {saving === 'scene' && <SaveScene close={() => save(null)} />}
    </section>
  )
}

const wordsOf = (side: Side) => SIDES.find((entry) => entry.key === side)!.words.toLowerCase()
