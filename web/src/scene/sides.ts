// Which of three pairs of eyes the scene is seen through.
import type { Package } from '../api/types'

export type Side = 'meant' | 'arrived' | 'file'
import { labels } from '../words/scene'

export const SIDES: { key: Side; words: string; shows: string }[] = [
  { key: 'meant', words: labels.wordExpected, shows: labels.theMaterialsAsTheyAre },
  {
    key: 'arrived',
    words: labels.wordArrived,
    shows: labels.theLastPackageOfThis,
  },
  {
    key: 'file',
    words: labels.packageFiles,
    shows: labels.theFilesOfThatPackage,
  },
]

/** The newest package of a target that was made here. */
export const packageFor = (packages: Package[], target: string) =>
  packages.find((entry) => entry.target === target && !entry.brought_in)

/** Why the scene cannot be seen so; null where it can. */
export function hindrance(side: Side, pack: Package | undefined): string | null {
  if (side === 'meant') return null
  if (!pack) return labels.thereIsNoPackageOf
  if (side === 'arrived') return pack.arrived ? null : labels.whatArrivedIsNotStored
  return Object.values(pack.holds).some(isDrawn) ? null : labels.thisTargetsFilesAreNot
}

/** Whether a file is one that the drawing library reads with its materials. */
export const isDrawn = (file: string) => /\.(glb|gltf)$/i.test(file)
