// Which of three pairs of eyes the scene is seen through.
import type { Package } from '../api/types'

export type Side = 'meant' | 'arrived' | 'file'

export const SIDES: { key: Side; words: string; shows: string }[] = [
  { key: 'meant', words: 'Expected', shows: 'The materials as they are in the project now' },
  {
    key: 'arrived',
    words: 'Arrived',
    shows: 'The last package of this target, as the stand-in engine read it',
  },
  {
    key: 'file',
    words: 'Package files',
    shows:
      'The files of that package, read by the drawing library itself: an independent second look',
  },
]

/** The newest package of a target that was made here. */
export const packageFor = (packages: Package[], target: string) =>
  packages.find((entry) => entry.target === target && !entry.brought_in)

/** Why the scene cannot be seen so; null where it can. */
export function hindrance(side: Side, pack: Package | undefined): string | null {
  if (side === 'meant') return null
  if (!pack) return 'There is no package of this target yet. Export and test, then look again.'
  if (side === 'arrived')
    return pack.arrived
      ? null
      : 'What arrived is not stored for this package. Test it again on Export, then look here.'
  return Object.values(pack.holds).some(isDrawn)
    ? null
    : 'This target’s files are not glTF, which the drawing library reads. Look at what arrived instead.'
}

/** Whether a file is one that the drawing library reads with its materials. */
export const isDrawn = (file: string) => /\.(glb|gltf)$/i.test(file)
