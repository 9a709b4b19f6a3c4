import { Button, Tab, Tabs } from '@mui/material'
import { useNavigate } from 'react-router'

import { useRecipe } from '../api/changes'
import { useProjectId } from '../api/queries'
import type { MeshFacts } from '../api/types'
import { count } from '../words'
import { afterMaterials } from './afterMaterials'
import type { Asking } from './Dialogs'

interface Props {
  mesh: MeshFacts
  meshes: MeshFacts[]
  hideDone: boolean
  setHideDone: (hide: boolean) => void
  ask: (asking: Asking) => void
}

/** Which mesh is worked on, and what can be done to it as a whole. */
export function MeshHead({ mesh, meshes, hideDone, setHideDone, ask }: Props) {
  const id = useProjectId()
  const navigate = useNavigate()
  const recipe = useRecipe()
  const renames = afterMaterials(mesh)
  return (
    <>
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
      <div className="bar wrapping" style={{ gap: 8 }}>
        {/* Where there are tabs, the name stands there. */}
        <h1 className={meshes.length > 1 ? 'sr' : ''}>{mesh.name}</h1>
        <span className="small">
          {count(mesh.slots.length, 'slot')} · {mesh.done.length} done
        </span>
        <span className="grow" />
        <Button
          title="Materials for every empty slot of all meshes, to be accepted one by one"
          onClick={() => ask({ kind: 'propose' })}
        >
          Suggest materials for all slots
        </Button>
        {renames.length > 0 && (
          <Button
            variant="text"
            title={`Rename ${renames.map(({ slot, name }) => `${slot} to ${name}`).join(', ')}`}
            onClick={() =>
              void recipe(mesh.name, {
                recipe: [...mesh.recipe.map(({ step }) => step), ...renames],
              })
            }
          >
            Name slots after materials
          </Button>
        )}
        {meshes.length > 1 && (
          <Button
            variant="text"
            title="Give its slots the materials of similar slots of another mesh"
            onClick={() => ask({ kind: 'alike' })}
          >
            Copy assignments from…
          </Button>
        )}
        <Button variant="text" onClick={() => ask({ kind: 'remove' })}>
          Remove…
        </Button>
        <Button variant="text" aria-pressed={hideDone} onClick={() => setHideDone(!hideDone)}>
          {hideDone ? 'Show done' : 'Hide done'}
        </Button>
      </div>
    </>
  )
}
