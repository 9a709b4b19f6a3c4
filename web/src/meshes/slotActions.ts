import type { MeshFacts, MeshStep } from '../api/types'
import type { Densities } from './density'
import { evenFactors } from './density'
import type { Asking } from './Dialogs'
import type { UvAction } from './EditUvs'
import { UV_ACTIONS } from './EditUvs'

/** What is asked for one slot at a time. */
const ONE_SLOT: UvAction[] = ['palette', 'bake', 'sides', 'colours']

interface Given {
  chosen: string[]
  mesh: MeshFacts
  densities: Densities
  ask: (asking: Asking) => void
  addStep: (step: MeshStep) => Promise<unknown>
  pickFacesOf: (slot: string) => void
}

/** What the menu of a slot offers. */
export function slotActions({ chosen, mesh, densities, ask, addStep, pickFacesOf }: Given) {
  const even = evenFactors(
    mesh.slots.filter((slot) => chosen.includes(slot.name)),
    densities,
  )
  return [
    {
      words: 'Rename the slot…',
      run: (which: string) => ask({ kind: 'rename', slot: which }),
    },
    ...(chosen.length > 1
      ? [{ words: `Merge the ${chosen.length} selected…`, run: () => ask({ kind: 'merge' }) }]
      : []),
    ...(even
      ? [
          {
            words: `Even out the density of ${chosen.length} slots`,
            run: () => void addStep({ kind: 'scale-uvs', factors: even }),
          },
        ]
      : []),
    {
      words: 'Split by connected parts',
      run: (which: string) => void addStep({ kind: 'split-slot', slot: which, by: 'part' }),
    },
    {
      words: 'Split by UV islands',
      run: (which: string) => void addStep({ kind: 'split-slot', slot: which, by: 'island' }),
    },
    {
      words: 'Split by UV tiles',
      run: (which: string) => void addStep({ kind: 'split-slot', slot: which, by: 'tile' }),
    },
    {
      words: 'Pick its faces in the viewport',
      run: pickFacesOf,
    },
    {
      words: 'Shade flat',
      run: (which: string) =>
        void addStep({
          kind: 'shade',
          slots: chosen.includes(which) ? chosen : [which],
          angle: 0,
        }),
    },
    ...UV_ACTIONS.map(({ key, words }) => ({
      words,
      run: (which: string) =>
        ask({
          kind: 'uvs',
          action: key,
          slots: chosen.includes(which) && !ONE_SLOT.includes(key) ? chosen : [which],
        }),
    })),
  ]
}
