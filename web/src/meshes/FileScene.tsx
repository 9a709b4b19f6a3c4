import { styled } from '@mui/material/styles'
import { Box, Button, Checkbox, FormControlLabel } from '@mui/material'

import { useEdit } from '../api/changes'
import { useProject, useScene } from '../api/queries'
import type { MeshFacts } from '../api/types'
import { Move } from '../materials/Controls'
import type { Tried } from '../viewport/SceneSubject'
import { count } from '../words'
import { labels } from '../words/meshes'

const SceneTree = styled('ul')({
  maxHeight: 220,
  overflow: 'auto',
  margin: '6px 0 0',
  padding: 0,
  listStyle: 'none',
  fontSize: 12.5,
})

interface Props {
  mesh: MeshFacts
  tried: Tried | null
  setTried: (tried: Tried | null) => void
}

/** What the mesh file holds besides what is drawn: its nodes in their hierarchy, and what else it brings along. Animations can be
 * played and morph targets tried; nothing of that is saved. */
export function FileScene({ mesh, tried, setTried }: Props) {
  const edit = useEdit()
  const entry = useProject().data?.document.meshes?.[mesh.name]
  const kept = entry?.vertex_colours === 'keep'
  const scene = useScene(mesh.name, mesh.key).data
  // Its nodes are told below, one by one.
  const told = scene?.brings.filter((_, at) => scene.kinds[at] !== 'hierarchy') ?? []
  if (!scene || (scene.nodes.length < 2 && told.length === 0)) return null
  const coloured = scene.kinds.includes('vertex colours')
  const lines = scene.brings.map((line, at) => ({ line, kind: scene.kinds[at] }))
  const change = (part: Partial<Tried>) =>
    setTried({ animation: null, morphs: {}, ...tried, ...part, mesh: mesh.key })
  return (
    <Box component="section" sx={{ padding: 1.75 }} aria-label={labels.whatTheFileHolds}>
      <div className="row">
        <h2 className="grow">{labels.whatTheFileHolds}</h2>
        {tried && <Button onClick={() => setTried(null)}>{labels.reset}</Button>}
      </div>
      <ul className="evidence">
        {lines
          .filter(({ kind }) => kind !== 'hierarchy' && kind !== 'animation')
          .map(({ line }) => (
            <li key={line}>
              <span>·</span>
              <span>{line}</span>
            </li>
          ))}
      </ul>
      <Animated scene={scene} tried={tried} change={change} />
      {coloured && (
        <FormControlLabel
          label={labels.vertexColoursGoAlongOnExport}
          control={
            <Checkbox
              checked={kept}
              onChange={(event) =>
                void edit({ kind: 'keep-colours', mesh: mesh.name, keep: event.target.checked })
              }
            />
          }
        />
      )}
      <Nodes nodes={scene.nodes} />
    </Box>
  )
}

type Scene = NonNullable<ReturnType<typeof useScene>['data']>

interface AnimatedProps {
  scene: Scene
  tried: Tried | null
  change: (part: Partial<Tried>) => void
}

/** Animations to play and morph targets to try. */
function Animated({ scene, tried, change }: AnimatedProps) {
  const animations = scene.brings.filter((_, at) => scene.kinds[at] === 'animation')
  return (
    <>
      {animations.map((line, number) => {
        const plays = tried?.animation === number
        return (
          <Box key={line} className="row" sx={{ gap: 1, padding: '2px 0' }}>
            {scene.playable && (
              <Button
                aria-pressed={plays}
                aria-label={`${plays ? labels.stop : labels.play} ${line}`}
                onClick={() => change({ animation: plays ? null : number })}
              >
                {plays ? labels.stop : labels.play}
              </Button>
            )}
            <span>{line}</span>
          </Box>
        )
      })}
      {scene.playable &&
        scene.morphs.map((name, number) => {
          const set = (weight: number) => change({ morphs: { ...tried?.morphs, [number]: weight } })
          return (
            <Move
              key={`${name} ${number}`}
              label={name}
              value={tried?.morphs[number] ?? 0}
              max={1}
              attempt={set}
              settle={set}
            />
          )
        })}
    </>
  )
}

function Nodes({ nodes }: Pick<Scene, 'nodes'>) {
  const kinds = (kind: string) => nodes.filter((node) => node.kind === kind).length
  return (
    <details>
      <summary>
        {count(nodes.length, 'node')}
        {kinds('joint') > 0 && `, ${count(kinds('joint'), 'joint')}`}
        {kinds('socket') > 0 && `, ${count(kinds('socket'), 'socket')}`}
      </summary>
      <SceneTree>
        {nodes.map((node, number) => (
          <li key={number} style={{ paddingLeft: `${node.depth * 14}px` }}>
            <span className="small">{node.kind}</span> {node.name}
            {node.detail && <span className="small"> · {node.detail}</span>}
          </li>
        ))}
      </SceneTree>
    </details>
  )
}
