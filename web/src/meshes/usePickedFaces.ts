// Faces that are picked on the stage, alone or with what hangs together with them.
import { useState } from 'react'

import { useNotices } from '../api/notices'
import { facesWith, useProjectId } from '../api/queries'
import type { By, MeshFacts } from '../api/types'
import type { PickedFaces } from './PickBar'

export function usePickedFaces(mesh: MeshFacts) {
  const id = useProjectId()
  const say = useNotices((state) => state.say)
  const [by, setBy] = useState<By | null>(null)
  const [picked, setPicked] = useState<PickedFaces | null>(null)
  const add = (which: string, face: number, also: boolean) => {
    if (by === null) return
    facesWith(id, mesh.name, which, face, by).then(({ faces }) => {
      const before = picked?.slot === which && also ? picked.faces : new Set<number>()
      const all = faces.every((number) => before.has(number))
      const next = new Set(before)
      faces.forEach((number) => (all && also ? next.delete(number) : next.add(number)))
      setPicked({ slot: which, faces: next })
    }, say)
  }
  const clear = () => setPicked(null)
  const stop = () => {
    setBy(null)
    setPicked(null)
  }
  return { by, setBy, picked, add, clear, stop }
}
