// How dense maps lie on a mesh: texels a metre of what its slots wear, tiling counted; UV units a metre where nothing is worn.
import { useMemo } from 'react'

import { useBoard, useProject } from '../api/queries'
import { feedOf, settingOf } from '../api/optimistic'
import type { BoardMap, Document, Feed, InputName, MeshFacts, SlotFacts } from '../api/types'
import { INPUT_WORDS, readable } from '../words'
import { labels } from '../words/meshes'

export interface Densities {
  /** What all numbers are in: texels as soon as one slot wears a map. */
  unit: 'texels/m' | 'UV/m'
  /** What one UV unit of a slot counts for; not a number where it wears no map and others do. */
  factor: (slot: string) => number
  /** A slot's density, null where it has none. */
  of: (slot: SlotFacts) => number | null
  /** The middle of all, slots weighed by area: what every triangle is compared with. */
  usual: number
  words: (slot: SlotFacts) => string
  /** How many times the map of its colours repeats over a slot; 1 where it lies once, or there is none. */
  repeats: (slot: SlotFacts) => number
}

const INPUTS = Object.keys(INPUT_WORDS) as InputName[]

/** Texels that one UV unit of a material holds: those of its base colour, or of its largest map; undefined without maps. */
export function texelsPerUnit(
  document: Document,
  material: string,
  maps: readonly BoardMap[],
): number | undefined {
  const texels = (input: InputName) => {
    const feed = feedOf(document, material, input)
    const map = feed?.map ? maps.find((entry) => entry.name === feed.map) : undefined
    if (!feed || !map || map.width === 0) return undefined
    const [u, v] = tilingOf(document, material, feed)
    return Math.sqrt(map.width * map.height * Math.abs(u * v))
  }
  const known = INPUTS.map(texels).filter((count) => count !== undefined)
  return texels('base_color') ?? (known.length > 0 ? Math.max(...known) : undefined)
}

const tilingOf = (document: Document, material: string, feed: Feed) =>
  feed.uv?.tiling ?? settingOf(document, material, 'uv')?.tiling ?? [1, 1]

/** Over how many pictures a slot's UVs reach, after the tiling of what feeds its colours. */
export function repeatsOf(document: Document, material: string, slot: SlotFacts): number {
  const feed = feedOf(document, material, 'base_color')
  const { min, max } = slot.uv
  if (!feed?.map || !min || !max) return 1
  const [u, v] = tilingOf(document, material, feed)
  return Math.max(1, Math.abs(u * (max[0]! - min[0]!)), Math.abs(v * (max[1]! - min[1]!)))
}

export function densitiesOf(
  mesh: MeshFacts,
  document: Document | undefined,
  maps: readonly BoardMap[],
): Densities {
  const factors = new Map<string, number>()
  for (const slot of mesh.slots) {
    const material = mesh.assigned[slot.name]
    const texels = document && material ? texelsPerUnit(document, material, maps) : undefined
    if (texels) factors.set(slot.name, texels)
  }
  const factor = (slot: string) => (factors.size === 0 ? 1 : (factors.get(slot) ?? NaN))
  const of = (slot: SlotFacts) => {
    const density = slot.density == null ? NaN : slot.density * factor(slot.name)
    return Number.isNaN(density) ? null : density
  }
  const unit = factors.size === 0 ? 'UV/m' : 'texels/m'
  return {
    unit,
    factor,
    of,
    usual: usualOf(mesh.slots, of),
    repeats: (slot) => {
      const material = mesh.assigned[slot.name]
      return document && material ? repeatsOf(document, material, slot) : 1
    },
    words: (slot) => {
      const density = of(slot)
      if (density !== null) return `${readable(density)} ${unit}`
      return slot.density == null ? '–' : labels.noMapWord
    },
  }
}

/** The middle of the slots' densities, weighed by area. */
export function usualOf(slots: SlotFacts[], of: (slot: SlotFacts) => number | null): number {
  const known = slots
    .map((slot) => ({ density: of(slot), area: slot.area }))
    .filter((slot): slot is { density: number; area: number } => slot.density !== null)
    .sort((a, b) => a.density - b.density)
  let left = known.reduce((sum, slot) => sum + slot.area, 0) / 2
  for (const slot of known) {
    left -= slot.area
    if (left <= 0) return slot.density
  }
  return 1
}

/** By how much the UVs of slots have to be scaled to come to one density, the middle of theirs; null where there is nothing to do. */
export function evenFactors(slots: SlotFacts[], densities: Densities) {
  const known = slots.flatMap((slot) => {
    const density = densities.of(slot)
    return density ? [{ name: slot.name, density }] : []
  })
  if (known.length < 2) return null
  const goal = usualOf(slots, densities.of)
  const factors = known
    .map(({ name, density }) => [name, goal / density] as const)
    .filter(([, factor]) => Math.abs(factor - 1) > 1e-3)
  return factors.length ? Object.fromEntries(factors) : null
}

export function useDensities(mesh: MeshFacts): Densities {
  const document = useProject().data?.document
  const maps = useBoard().data
  return useMemo(() => densitiesOf(mesh, document, maps ?? []), [document, maps, mesh])
}
