import type { MeshFacts } from '../api/types'

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
    <section style={{ padding: 14 }} aria-label="Faults">
      <h2>{mesh.faults.length ? 'Findings on the mesh' : 'No findings on the mesh'}</h2>
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
