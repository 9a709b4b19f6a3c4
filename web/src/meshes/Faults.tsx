import { useStartJob } from '../api/queries'
import type { MeshFacts } from '../api/types'
import { count } from '../words'

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
  const { startInside } = useStartJob()
  if (!mesh.measured) return null
  return (
    <section style={{ padding: 14 }} aria-label="Faults">
      <h2>{mesh.faults.length ? 'What was found on the mesh' : 'No faults found'}</h2>
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
                  {current === number ? 'shown' : 'Show them'}
                </button>
              )}
            </span>
          </li>
        ))}
        {mesh.inside.maps > 0 && (
          <li>
            <span>·</span>
            <span>
              {count(mesh.inside.maps, 'map')} and {count(mesh.inside.materials, 'material')} are
              inside the file.{' '}
              <button className="link" onClick={() => startInside.mutate(mesh.name)}>
                Bring them in
              </button>
            </span>
          </li>
        )}
        {mesh.notes.map((note) => (
          <li key={note}>
            <span>·</span>
            <span>{note}</span>
          </li>
        ))}
      </ul>
    </section>
  )
}
