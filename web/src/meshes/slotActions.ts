import type { MeshFacts, MeshStep } from '../api/types'
import type { Densities } from './density'
import { evenFactors } from './density'
import type { Asking } from './Dialogs'
import type { UvAction } from './EditUvs'
import { UV_ACTIONS } from './EditUvs'
import { labels } from '../words/meshes'

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
      words: labels.renameTheSlot2,
      run: (which: string) => ask({ kind: 'rename', slot: which }),
    },
    ...(chosen.length > 1
      ? [{ words: labels.mergeTheSelected(chosen.length), run: () => ask({ kind: 'merge' }) }]
      : []),
    ...(even
      ? [
          {
            words: labels.evenOutTheDensityOf(chosen.length),
            run: () => void addStep({ kind: 'scale-uvs', factors: even }),
          },
        ]
      : []),
    {
      words: labels.splitByConnectedParts,
      run: (which: string) => void addStep({ kind: 'split-slot', slot: which, by: 'part' }),
    },
    {
      words: labels.splitByUvIslands,
      run: (which: string) => void addStep({ kind: 'split-slot', slot: which, by: 'island' }),
    },
    {
      words: labels.splitByUvTiles,
      run: (which: string) => void addStep({ kind: 'split-slot', slot: which, by: 'tile' }),
    },
    {
      words: labels.pickItsFacesInThe,
      run: pickFacesOf,
    },
    {
      words: labels.shadeFlat,
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
