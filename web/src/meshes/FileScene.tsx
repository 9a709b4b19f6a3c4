import { Checkbox, FormControlLabel } from '@mui/material'

import { useEdit, useProject, useScene } from '../api/queries'
import type { MeshFacts } from '../api/types'
import { count } from '../words'

interface Props {
  mesh: MeshFacts
}

/** What the mesh file holds besides what is drawn: its nodes in their hierarchy, and what else it brings along. */
export function FileScene({ mesh }: Props) {
  const edit = useEdit()
  const entry = useProject().data?.document.meshes?.[mesh.name]
  const kept = entry?.vertex_colours === 'keep'
  const scene = useScene(mesh.name, mesh.key).data
  // Its nodes are told below, one by one.
  const told = scene?.brings.filter((_, at) => scene.kinds[at] !== 'hierarchy') ?? []
  if (!scene || (scene.nodes.length < 2 && told.length === 0)) return null
  const coloured = scene.brings.includes('vertex colours')
  const kinds = (kind: string) => scene.nodes.filter((node) => node.kind === kind).length
  return (
    <section style={{ padding: 14 }} aria-label="What the file holds">
      <h2>What the file holds</h2>
      <ul className="evidence">
        {told.map((line) => (
          <li key={line}>
            <span>·</span>
            <span>{line}</span>
          </li>
        ))}
      </ul>
      {coloured && (
        <FormControlLabel
          label="Vertex colours go along on export; engines multiply them in"
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
      <details>
        <summary>
          {count(scene.nodes.length, 'node')}
          {kinds('joint') > 0 && `, ${count(kinds('joint'), 'joint')}`}
          {kinds('socket') > 0 && `, ${count(kinds('socket'), 'socket')}`}
        </summary>
        <ul className="scene-tree">
          {scene.nodes.map((node, number) => (
            <li key={number} style={{ paddingLeft: `${node.depth * 14}px` }}>
              <span className="small">{node.kind}</span> {node.name}
              {node.detail && <span className="small"> · {node.detail}</span>}
            </li>
          ))}
        </ul>
      </details>
    </section>
  )
}
