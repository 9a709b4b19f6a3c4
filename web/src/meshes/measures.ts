// What a mesh can be seen by, and the colours its numbers are shown in.
import { Color } from 'three'

import type { MeshFacts } from '../api/types'
import { RAMP } from '../theme'
import type { Densities } from './density'
import { labels } from '../words/meshes'

export type MeshView =
  'lit' | 'slots' | 'checker' | 'repeats' | 'density' | 'stretch' | 'flipped' | 'backs' | 'faults'
export type Measure = 'density' | 'stretch' | 'flipped'

export const VIEWS: { key: MeshView; words: string; shows: string }[] = [
  { key: 'lit', words: labels.wordShaded, shows: 'the slots’ materials, lit' },
  { key: 'slots', words: labels.slots, shows: labels.oneTintForEachSlot },
  {
    key: 'checker',
    words: labels.wordChecker,
    shows: labels.evenSquaresOnTheUvs,
  },
  {
    key: 'repeats',
    words: labels.wordRepeats,
    shows: labels.everySecondCopyOfThe,
  },
  {
    key: 'density',
    words: labels.density,
    shows: labels.texelsAMetreOfWhat,
  },
  {
    key: 'stretch',
    words: labels.wordStretch,
    shows: labels.howFarTheUvsAre,
  },
  {
    key: 'flipped',
    words: labels.wordFlipped,
    shows: labels.facesWhoseUvsRunThe,
  },
  {
    key: 'backs',
    words: labels.backFaces,
    shows: labels.whatIsSeenFromBehind,
  },
  { key: 'faults', words: labels.faults, shows: labels.facesWithSomethingWrong },
]

/** What shows a finding best, where it is about how maps lie. */
export const VIEW_OF: Record<string, MeshView> = {
  'repeats-often': 'repeats',
  'density-uneven': 'density',
  'density-off-rule': 'density',
  'uvs-stretched': 'stretch',
}

export const measureOf = (view: MeshView): Measure | null =>
  view === 'density' || view === 'stretch' || view === 'flipped' ? view : null

const [low, middle, high, mark, none] = [
  RAMP.low,
  RAMP.middle,
  RAMP.high,
  RAMP.mark,
  RAMP.none,
].map((hex) => new Color(hex)) as [Color, Color, Color, Color, Color]

/** The colour of one number: `usual` is what a density is compared with. */
export function colourOf(view: MeshView, value: number, usual: number): Color {
  if (Number.isNaN(value)) return none
  if (view === 'faults') return value > 0 ? mark : middle
  if (view === 'flipped') return value > 0 ? high : middle
  const far =
    view === 'density'
      ? Math.max(-1, Math.min(1, Math.log2(Math.max(value / usual, 1e-6)) / 2))
      : Math.min(1, Math.log2(Math.max(value, 1)) / 2)
  return far < 0 ? middle.clone().lerp(low, -far) : middle.clone().lerp(high, far)
}

/** Colours of all triangles by slot, in the order of the geometry. */
export function paintOf(
  view: MeshView,
  values: Float32Array,
  mesh: MeshFacts,
  densities: Densities,
): Record<string, Float32Array> {
  const painted: Record<string, Float32Array> = {}
  let at = 0
  for (const slot of mesh.slots) {
    const colours = new Float32Array(slot.triangles * 3)
    const factor = view === 'density' ? densities.factor(slot.name) : 1
    for (let i = 0; i < slot.triangles; i += 1)
      colourOf(view, (values[at + i] ?? NaN) * factor, densities.usual).toArray(colours, i * 3)
    at += slot.triangles
    painted[slot.name] = colours
  }
  return painted
}

/** Chosen faces of a slot marked among the others. */
export function markedOf(triangles: number, faces: ReadonlySet<number>): Float32Array {
  const colours = new Float32Array(triangles * 3)
  for (let i = 0; i < triangles; i += 1) (faces.has(i) ? high : middle).toArray(colours, i * 3)
  return colours
}

/** What the slot was called in its file, where the recipe has given it another name. */
export function oldName(mesh: MeshFacts, slot: string): string | null {
  let name = slot
  for (const { step } of [...mesh.recipe].reverse())
    if (step.kind === 'rename-slot' && step.name === name) name = step.slot
  return name === slot ? null : name
}

const NAMELESS = /^(slot|mat|material|mesh|default|untitled|[0-9a-f]+)?[_\-. ]?[0-9a-f]*$/i
/** Whether a slot's name says nothing. */
export const isNameless = (slot: string) => NAMELESS.test(slot)
