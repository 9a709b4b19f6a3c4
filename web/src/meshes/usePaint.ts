// The colours of a mesh's faces in a view, and the numbers behind them.
import { useMemo } from 'react'

import { useTriangles } from '../api/queries'
import type { MeshFacts } from '../api/types'
import { useDensities } from './density'
import type { MeshView } from './measures'
import { markedOf, measureOf, paintOf } from './measures'
import type { PickedFaces } from './usePickedFaces'

/** `fault` is the one that is shown alone, by its number; null for all that can be seen. */
export function usePaint(
  mesh: MeshFacts,
  view: MeshView,
  fault: number | null,
  picked: PickedFaces,
) {
  const seen = useMemo(
    () => mesh.faults.map((entry, number) => ({ entry, number })).filter(({ entry }) => entry.seen),
    [mesh],
  )
  const marks = view !== 'faults' ? [] : fault !== null ? [fault] : seen.map(({ number }) => number)
  const values = useTriangles(mesh.measured ? mesh.key : '', measureOf(view), marks).data ?? null
  const shown = view === 'faults' && marks.length === 0 ? null : values
  const densities = useDensities(mesh)
  const paint = useMemo(() => {
    const painted =
      shown && (measureOf(view) || view === 'faults') ? paintOf(view, shown, mesh, densities) : {}
    const marks = mesh.slots
      .filter(({ name }) => picked[name])
      .map(({ name, triangles }) => [name, markedOf(triangles, picked[name]!)])
    return marks.length > 0 ? { ...painted, ...Object.fromEntries(marks) } : painted
  }, [densities, mesh, picked, shown, view])
  return { paint, values, marked: marks.length, faults: seen.length }
}
