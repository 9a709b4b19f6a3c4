import { Box } from '@mui/material'
import type { MeshFacts } from '../api/types'
import { labels } from '../words/meshes'

/** What was found on the mesh; a fault with faces shows them on the stage. */
export function Faults({
  mesh,
  current,
  showFaces,
}: {
  mesh: MeshFacts
  current: number | null
  showFaces: (number: number) => void
}) {
  if (!mesh.measured) return null
  return (
    <Box component="section" sx={{ padding: 1.75 }} aria-label={labels.faults}>
      <h2>{mesh.faults.length ? labels.findingsOnTheMesh : labels.noFindingsOnTheMesh}</h2>
      <ul className="evidence">
        {mesh.faults.map((fault, number) => (
          <li key={`${fault.code}${fault.slot}`}>
            <span className="amber">△</span>
            <span>
              {fault.slot && <b>{fault.slot}: </b>}
              {fault.message}{' '}
              {fault.seen && (
                <button
                  className="link"
                  aria-pressed={current === number}
                  onClick={() => showFaces(number)}
                >
                  {current === number ? labels.wordShown : labels.showThem}
                </button>
              )}
            </span>
          </li>
        ))}
        {mesh.notes.map((note) => (
          <li key={note}>
            <span>·</span>
            <span>{note}</span>
          </li>
        ))}
      </ul>
    </Box>
  )
}
