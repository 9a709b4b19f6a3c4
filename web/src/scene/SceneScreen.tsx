import { styled } from '@mui/material/styles'
import { Box, Button, Menu, MenuItem } from '@mui/material'
import { useMemo, useState } from 'react'
import { Link } from 'react-router'
import { useEdit } from '../api/changes'
import { get } from '../api/client'
import { useNotices } from '../api/notices'
import { useMeshes, useProject, useProjectId } from '../api/queries'
import type { MeshFacts, SceneItem } from '../api/types'
import { useKeys } from '../components/keys'
import { useRemembered } from '../components/remembered'
import { count } from '../words'
import { useCameraApi } from './cameraApi'
import { ItemFields } from './ItemFields'
import { STANDS, rounded } from './place'
import { GroundFields, PanoramaField, SunFields, Views } from './Surroundings'
import { useMoving } from './useMoving'
import { labels } from '../words/scene'
import { SceneView } from './SceneView'

const SceneItems = styled('ul')({
  flex: 1,
  minHeight: 90,
  margin: 0,
  padding: 0,
  overflow: 'auto',
  listStyle: 'none',
  '& button': {
    display: 'flex',
    alignItems: 'center',
    gap: 8,
    width: '100%',
    padding: '6px 14px',
    border: 0,
    borderBottom: '1px solid var(--line)',
    background: 'none',
    textAlign: 'left',
    cursor: 'pointer',
  },
  '& button[aria-pressed="true"]': {
    background: 'var(--raised)',
    boxShadow: 'inset 3px 0 var(--accent)',
  },
})

const SceneBox = styled('div')({
  gridTemplateColumns: '330px minmax(0, 1fr)',
})

type Moving = ReturnType<typeof useMoving>['moving']

function withMoving(stated: Record<string, SceneItem>, moving: Moving) {
  const item = moving && stated[moving.item]
  return item ? { ...stated, [moving.item]: { ...item, ...moving.change } } : stated
}

/** The things that are shown, with what is being moved; of one at a time only that, where the one before it was: the camera
 * stays. */
function useShownItems(stated: Record<string, SceneItem>, moving: Moving, alone: string | null) {
  return useMemo(() => {
    const current = withMoving(stated, moving)
    if (alone === null) return current
    const { position, repeat } = STANDS
    return {
      [alone]: { ...current[alone]!, position: [...position], repeat: [...repeat] },
    } as Record<string, SceneItem>
  }, [alone, moving, stated])
}

function EmptyScene({
  meshes,
  ready,
  add,
}: {
  meshes: MeshFacts[]
  ready: MeshFacts[]
  add: (meshes: string[]) => void
}) {
  const id = useProjectId()
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
            onClick={() => add(ready.map((mesh) => mesh.name))}
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

function AddMeshBar({ ready, add }: { ready: string[]; add: (meshes: string[]) => void }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const pick = (which: string[]) => {
    setAnchor(null)
    add(which)
  }
  return (
    <div className="bar">
      <h1 className="grow">{labels.scene}</h1>
      <Button aria-haspopup="menu" onClick={(event) => setAnchor(event.currentTarget)}>
        {labels.addMesh}
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {ready.map((name) => (
          <MenuItem key={name} onClick={() => pick([name])}>
            {name}
          </MenuItem>
        ))}
        {ready.length > 1 && (
          <MenuItem divider onClick={() => pick(ready)}>
            {labels.allSideBySide(ready.length)}
          </MenuItem>
        )}
      </Menu>
    </div>
  )
}

function ItemList({
  items,
  chosen,
  press,
}: {
  items: Record<string, SceneItem>
  chosen: string | null
  press: (name: string) => void
}) {
  return (
    <SceneItems aria-label={labels.thingsInTheScene}>
      {Object.entries(items).map(([name, item]) => (
        <li key={name}>
          <button aria-pressed={name === chosen} onClick={() => press(name)}>
            <span className="grow ellipsis">{name}</span>
            <span className="small">{worded(item, name)}</span>
          </button>
        </li>
      ))}
    </SceneItems>
  )
}

/** The thing that is chosen, and whether only it is shown: then there is always one. */
function useChosenItem(names: string[]) {
  const [wanted, choose] = useRemembered<string | null>('scene item', null)
  const [alone, setAlone] = useRemembered<boolean>('scene one at a time', false)
  const first = names[0] ?? null
  const chosen = wanted !== null && names.includes(wanted) ? wanted : alone ? first : null
  const showAlone = (on: boolean) => {
    setAlone(on)
    if (on && chosen === null) choose(first)
  }
  return { chosen, choose, alone, setAlone: showAlone }
}

/** The next or the previous name, round and round; without one chosen, the first or the last. */
function neighbour(names: string[], chosen: string | null, by: number) {
  if (names.length === 0) return null
  const at = chosen === null ? (by > 0 ? -1 : 0) : names.indexOf(chosen)
  return names[(at + by + names.length) % names.length]!
}

/** Puts meshes into the scene where there is room; one alone is chosen then. */
function useStanding(choose: (item: string) => void) {
  const id = useProjectId()
  const edit = useEdit()
  const say = useNotices((state) => state.say)
  return async (which: string[]) => {
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
}

/** The project's assets side by side on a ground under one light, as meant and as arrived. */
export function SceneScreen() {
  const project = useProject().data!
  const meshes = useMeshes().data
  const edit = useEdit()
  const scene = project.document.scene ?? {}
  const stated = useMemo(() => scene.items ?? {}, [scene.items])
  const names = Object.keys(stated)
  const { moving, move, settle } = useMoving()
  const { chosen, choose, alone, setAlone } = useChosenItem(names)
  const items = useShownItems(stated, moving, alone ? chosen : null)

  const stand = useStanding(choose)
  const take = (item: string) => {
    choose(null)
    void edit({ kind: 'take-away', items: [item] })
  }
  const step = (by: number) => choose(neighbour(names, chosen, by))
  const nudge = (x: number, z: number) => {
    if (chosen === null || alone) return
    const { position } = { ...STANDS, ...items[chosen] }
    move(chosen, {
      position: [rounded(position[0] + x, 3), position[1], rounded(position[2] + z, 3)],
    })
  }
  const isEditing = chosen !== null && !alone
  useKeys([
    { key: 'PageDown', words: labels.keyNext, run: () => step(1) },
    { key: 'PageUp', words: labels.keyPrevious, run: () => step(-1) },
    ...(isEditing
      ? [
          { key: 'Delete', words: labels.keyRemove, run: () => take(chosen) },
          { key: 'Escape', words: labels.keyClearSelection, run: () => choose(null) },
        ]
      : []),
    { key: '0', words: labels.keyFrameEverything, run: () => useCameraApi.getState().hand?.fit() },
  ])

  if (!meshes)
    return (
      <Box component="p" sx={{ padding: 1.75 }}>
        {labels.loading}
      </Box>
    )
  const ready = meshes.filter((mesh) => mesh.measured)
  if (names.length === 0) {
    return <EmptyScene meshes={meshes} ready={ready} add={(which) => void stand(which)} />
  }
  return (
    <SceneBox className="screen scene">
      <section className="pane" aria-label={labels.whatStandsInTheScene}>
        <AddMeshBar ready={ready.map((mesh) => mesh.name)} add={(which) => void stand(which)} />
        <ItemList
          items={stated}
          chosen={chosen}
          press={(name) => choose(name === chosen && !alone ? null : name)}
        />
        <Box sx={{ overflow: 'auto', flex: 'none', maxHeight: '62%' }}>
          {isEditing && stated[chosen] && (
            <ItemFields
              key={chosen}
              name={chosen}
              item={withMoving(stated, moving)[chosen]!}
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
        </Box>
      </section>
      <SceneView
        items={items}
        chosen={chosen}
        choose={choose}
        move={move}
        settle={settle}
        nudge={nudge}
        alone={alone}
        setAlone={setAlone}
        step={step}
      />
    </SceneBox>
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
