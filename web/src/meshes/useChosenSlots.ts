// Which slots of a mesh are chosen: one in the address, and those that were added to it.
import { useState } from 'react'

import type { MeshFacts } from '../api/types'

interface Asked {
  mesh: MeshFacts
  /** The chosen slot, as the address has it. */
  slot: string | null
  setSlot: (slot: string | null) => void
  hideDone: boolean
  /** Told before anything else is chosen. */
  changing: () => void
}

export function useChosenSlots({ mesh, slot, setSlot, hideDone, changing }: Asked) {
  const [more, setMore] = useState<string[]>([])
  const names = mesh.slots.map((entry) => entry.name)
  const chosen =
    slot === null ? [] : [slot, ...more.filter((entry) => entry !== slot && names.includes(entry))]
  const choose = (next: string | null, add = false) => {
    changing()
    if (!add || next === null || slot === null) {
      setMore([])
      setSlot(next)
    } else if (chosen.includes(next)) {
      const left = chosen.filter((entry) => entry !== next)
      setMore(left.slice(1))
      setSlot(left[0] ?? null)
    } else setMore([...more, next])
  }
  const visible = names.filter((entry) => !hideDone || !mesh.done.includes(entry))
  const step = (by: number) => {
    const at = slot === null ? (by > 0 ? -1 : visible.length) : visible.indexOf(slot)
    const next = visible[at + by]
    if (next !== undefined) choose(next)
  }
  return { chosen, choose, step }
}
