// What is to be done next, by what is there: the first thing in the order of the job that is not done.
import { count } from '../words'
import { labels } from '../words/shell'

export interface Progress {
  maps: number
  unsure: number
  materials: number
  meshes: number
  bare: number
  errors: number
  /** Whether there is a package of the present state. */
  exported: boolean
  /** What its trial gave, null without one. */
  passed: boolean | null
}

export type Station = 'maps' | 'materials' | 'meshes' | 'checks' | 'export'

/** The station to go to and why; null where all is done. */
export function nextStep(at: Progress): { to: Station; why: string } | null {
  if (at.maps === 0 && at.meshes === 0) return { to: 'maps', why: labels.nextImport }
  if (at.unsure > 0) return { to: 'maps', why: labels.nextUnsure(count(at.unsure, 'map')) }
  if (at.materials === 0) return { to: 'materials', why: labels.nextMaterial }
  if (at.meshes === 0) return { to: 'meshes', why: labels.nextMesh }
  if (at.bare > 0) return { to: 'meshes', why: labels.nextAssign(count(at.bare, 'slot')) }
  if (at.errors > 0) return { to: 'checks', why: labels.nextFix(count(at.errors, 'error')) }
  if (!at.exported) return { to: 'export', why: labels.nextExport }
  if (at.passed === null) return { to: 'export', why: labels.nextTest }
  if (!at.passed) return { to: 'export', why: labels.nextDifferent }
  return null
}
