// What is to be done next, by what is there: the first thing in the order of the job that is not done.
import { count } from '../words'

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
  if (at.maps === 0 && at.meshes === 0) return { to: 'maps', why: 'Import maps and a mesh.' }
  if (at.unsure > 0)
    return { to: 'maps', why: `Look at ${count(at.unsure, 'map')} that cannot be told for sure.` }
  if (at.materials === 0) return { to: 'materials', why: 'Make a material.' }
  if (at.meshes === 0) return { to: 'meshes', why: 'Import a mesh.' }
  if (at.bare > 0) return { to: 'meshes', why: `Give ${count(at.bare, 'slot')} a material.` }
  if (at.errors > 0) return { to: 'checks', why: `Mend ${count(at.errors, 'error')}.` }
  if (!at.exported) return { to: 'export', why: 'Export and test.' }
  if (at.passed === null) return { to: 'export', why: 'Test what was exported.' }
  if (!at.passed) return { to: 'export', why: 'Look at what did not arrive as it was meant.' }
  return null
}
