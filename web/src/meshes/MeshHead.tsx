import { Box, Button, Tab, Tabs } from '@mui/material'
import { useNavigate } from 'react-router'

import { useRecipe } from '../api/changes'
import { useProjectId } from '../api/queries'
import type { MeshFacts } from '../api/types'
import { count } from '../words'
import { afterMaterials } from './afterMaterials'
import type { Asking } from './Dialogs'
import { labels } from '../words/meshes'

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
          aria-label={labels.meshes}
        >
          {meshes.map((entry) => (
            <Tab key={entry.name} value={entry.name} label={entry.name} />
          ))}
        </Tabs>
      )}
      <Box className="bar wrapping" sx={{ gap: 1 }}>
        {/* Where there are tabs, the name stands there. */}
        <h1 className={meshes.length > 1 ? 'sr' : ''}>{mesh.name}</h1>
        <span className="small">
          {labels.done(count(mesh.slots.length, 'slot'), mesh.done.length)}
        </span>
        <span className="grow" />
        <Button
          title={labels.materialsForEveryEmptySlotOf}
          onClick={() => ask({ kind: 'propose' })}
        >
          {labels.suggestMaterialsForAllSlots}
        </Button>
        {renames.length > 0 && (
          <Button
            variant="text"
            title={labels.rename(renames.map(({ slot, name }) => labels.to(slot, name)).join(', '))}
            onClick={() =>
              void recipe(mesh.name, {
                recipe: [...mesh.recipe.map(({ step }) => step), ...renames],
              })
            }
          >
            {labels.nameSlotsAfterMaterials}
          </Button>
        )}
        {meshes.length > 1 && (
          <Button
            variant="text"
            title={labels.giveItsSlotsTheMaterialsOf}
            onClick={() => ask({ kind: 'alike' })}
          >
            {labels.copyAssignmentsFrom}
          </Button>
        )}
        <Button variant="text" onClick={() => ask({ kind: 'remove' })}>
          {labels.removeAsk}
        </Button>
        <Button variant="text" aria-pressed={hideDone} onClick={() => setHideDone(!hideDone)}>
          {hideDone ? labels.showDone : labels.hideDone}
        </Button>
      </Box>
    </>
  )
}
