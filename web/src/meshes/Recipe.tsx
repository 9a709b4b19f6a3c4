import { styled } from '@mui/material/styles'
import { Box } from '@mui/material'
import { useRecipe } from '../api/changes'
import type { MeshFacts } from '../api/types'
import { labels } from '../words/meshes'

const Steps = styled('ol')({
  margin: '6px 0',
  paddingLeft: 20,
  fontSize: 12,
})

/** What is done to the mesh after it is read, step by step; any step can be taken back. */
export function Recipe({ mesh }: { mesh: MeshFacts }) {
  const change = useRecipe()
  if (mesh.recipe.length === 0) return null
  return (
    <Box component="section" sx={{ padding: '0 14px 14px' }} aria-label={labels.stepsOnTheMesh}>
      <h2>
        {labels.steps}{' '}
        <Box component="span" className="small" sx={{ fontWeight: 400 }}>
          {labels.appliedOnExportTheFileStays}
        </Box>
      </h2>
      <Steps>
        {mesh.recipe.map((entry, number) => (
          <li key={`${number} ${entry.words}`}>
            {entry.words}{' '}
            <button
              className="link"
              onClick={() =>
                void change(mesh.name, {
                  recipe: mesh.recipe
                    .filter((_, other) => other !== number)
                    .map((kept) => kept.step),
                })
              }
            >
              {labels.removeTitle}
            </button>
          </li>
        ))}
      </Steps>
    </Box>
  )
}
