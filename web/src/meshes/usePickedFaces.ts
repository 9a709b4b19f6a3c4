// Faces that are picked on the stage: by a click with what hangs together with them, by a box, or under a brush; of any slots.
import { useState } from 'react'

import { useNotices } from '../api/notices'
import { facesWith, useProjectId } from '../api/queries'
import type { By, MeshFacts } from '../api/types'
import type { Faces } from '../viewport/PickIds'

/** By slot, the numbers of picked faces within it. */
export type PickedFaces = Record<string, ReadonlySet<number>>

export type PickTool = By | 'box' | 'brush'

/** What is picked once some faces more, or instead, are. */
export function withFaces(before: PickedFaces, faces: Faces, also: boolean): PickedFaces {
  const next: PickedFaces = also ? { ...before } : {}
  for (const [slot, numbers] of Object.entries(faces))
    if (numbers.length > 0) next[slot] = new Set([...(next[slot] ?? []), ...numbers])
  return next
}

/** The same when faces are picked by a click that adds: once more on what is all picked takes it out again. */
function turned(before: PickedFaces, slot: string, faces: number[]): PickedFaces {
  const own = before[slot] ?? new Set()
  if (!faces.every((face) => own.has(face))) return withFaces(before, { [slot]: faces }, true)
  const left = [...own].filter((face) => !faces.includes(face))
  const others = Object.fromEntries(Object.entries(before).filter(([name]) => name !== slot))
  return left.length > 0 ? { ...others, [slot]: new Set(left) } : others
}

export function usePickedFaces(mesh: MeshFacts) {
  const id = useProjectId()
  const say = useNotices((state) => state.say)
  const [tool, setTool] = useState<PickTool | null>(null)
  const [picked, setPicked] = useState<PickedFaces>({})
  const add = (slot: string, face: number, also: boolean) => {
    if (tool === null || tool === 'box' || tool === 'brush') return
    facesWith(id, mesh.name, slot, face, tool).then(
      ({ faces }) =>
        setPicked((before) => (also ? turned(before, slot, faces) : { [slot]: new Set(faces) })),
      say,
    )
  }
  const reach = (faces: Faces, also: boolean) =>
    setPicked((before) => withFaces(before, faces, also))
  const clear = () => setPicked({})
  const stop = () => {
    setTool(null)
    setPicked({})
  }
  return { tool, setTool, picked, add, reach, clear, stop }
}
