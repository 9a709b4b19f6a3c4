// Slots named after what they wear.
import type { MeshFacts, MeshStep } from '../api/types'

type Rename = Extract<MeshStep, { kind: 'rename-slot' }>

/** Whether a slot is called as its material is, or so with a number. */
const isCalled = (slot: string, material: string) =>
  slot === material ||
  (slot.startsWith(`${material}_`) && /^\d+$/.test(slot.slice(material.length + 1)))

/** The steps that call every slot as its material is called; slots that share one get numbers. */
export function afterMaterials(mesh: Pick<MeshFacts, 'slots' | 'assigned'>): Rename[] {
  const taken = new Set(mesh.slots.map((slot) => slot.name))
  return mesh.slots.flatMap(({ name: slot }) => {
    const wanted = mesh.assigned[slot]
    if (!wanted || isCalled(slot, wanted)) return []
    let name = wanted
    for (let number = 2; taken.has(name); number += 1) name = `${wanted}_${number}`
    taken.delete(slot)
    taken.add(name)
    return [{ kind: 'rename-slot' as const, slot, name }]
  })
}
