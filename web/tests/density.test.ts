import { describe, expect, it } from 'vitest'

import type { BoardMap, Document, MeshFacts } from '../src/api/types'
import { moved } from '../src/components/reorder'
import { densitiesOf, evenFactors, repeatsOf, texelsPerUnit } from '../src/meshes/density'
import { errorWords, naturally, readable } from '../src/words'

const map = (name: string, side: number) => ({ name, width: side, height: side }) as BoardMap
const slot = (name: string, density: number | null, area = 1) => ({ name, density, area })
const document = {
  materials: {
    wall: { inputs: { base_color: { map: 'wall' }, normal: { map: 'fine' } } },
    tiled: { from: 'wall', uv: { tiling: [3, 3] } },
    rough: { inputs: { roughness: { map: 'fine' } } },
    plain: { inputs: { base_color: { value: [1, 1, 1] } } },
  },
} as unknown as Document
const maps = [map('wall', 512), map('fine', 2048)]

describe('density', () => {
  it('counts the texels of the base colour, or of the largest map, with tiling', () => {
    expect(texelsPerUnit(document, 'wall', maps)).toBe(512)
    expect(texelsPerUnit(document, 'tiled', maps)).toBe(1536)
    expect(texelsPerUnit(document, 'rough', maps)).toBe(2048)
    expect(texelsPerUnit(document, 'plain', maps)).toBeUndefined()
  })
  it('is texels a metre as soon as a slot wears a map, and UV units before', () => {
    const mesh = {
      slots: [slot('a', 0.5, 3), slot('b', 0.5), slot('c', null)],
      assigned: { a: 'wall', b: null },
    } as unknown as MeshFacts
    const worn = densitiesOf(mesh, document, maps)
    const [a, b, c] = mesh.slots
    expect([worn.unit, worn.of(a!), worn.usual]).toEqual(['texels/m', 256, 256])
    expect([worn.words(a!), worn.words(b!), worn.words(c!)]).toEqual([
      '256 texels/m',
      'no map',
      '–',
    ])
    const bare = densitiesOf({ ...mesh, assigned: {} }, document, maps)
    expect([bare.unit, bare.of(b!)]).toEqual(['UV/m', 0.5])
  })
})

describe('slots made even', () => {
  const assigned = { a: 'wall', b: 'tiled', c: null }
  const mesh = {
    slots: [slot('a', 1, 3), slot('b', 1), slot('c', null)],
    assigned,
  } as unknown as MeshFacts
  const densities = densitiesOf(mesh, document, maps)
  it('brings each to the density of the most of them', () => {
    expect(evenFactors(mesh.slots, densities)).toEqual({ b: 1 / 3 })
  })
  it('has nothing to do for one slot, or where all are even', () => {
    expect(evenFactors(mesh.slots.slice(0, 1), densities)).toBeNull()
    const even = [slot('a', 1), { ...slot('a', 1), name: 'a' }] as unknown as MeshFacts['slots']
    expect(evenFactors(even, densities)).toBeNull()
  })
})

describe('repetition', () => {
  const on = (low: number, high: number) =>
    ({ name: 'a', uv: { min: [low, 0], max: [high, 1] } }) as unknown as MeshFacts['slots'][number]
  it('counts pictures in a row, with the tiling of the base colour', () => {
    expect(repeatsOf(document, 'wall', on(0, 1))).toBe(1)
    expect(repeatsOf(document, 'wall', on(-1, 3))).toBe(4)
    expect(repeatsOf(document, 'tiled', on(0, 4))).toBe(12)
    expect(repeatsOf(document, 'plain', on(0, 4))).toBe(1)
  })
})

describe('order by drag', () => {
  it('takes one out and puts it where it is let go', () => {
    expect(moved(['a', 'b', 'c'], 0, 2)).toEqual(['b', 'c', 'a'])
    expect(moved(['a', 'b', 'c'], 2, 0)).toEqual(['c', 'a', 'b'])
    expect(moved(['a', 'b'], 1, 1)).toEqual(['a', 'b'])
  })
})

describe('words for numbers and names', () => {
  it('orders names as a person counts', () => {
    expect(['wall_10', 'Wall_2', 'wall_1'].sort(naturally)).toEqual(['wall_1', 'Wall_2', 'wall_10'])
  })
  it('shows no powers of ten', () => {
    expect([0, 260.4, 12345.6, 0.01234, 1e-7].map(readable)).toEqual([
      '0',
      '260',
      '12,346',
      '0.0123',
      'under 0.001',
    ])
  })
  it('says how far a cell is off', () => {
    const cell = { max_error: 2.6e2, mean_error: 1.25, unit: 'steps', differing: 0.5 }
    expect(errorWords(cell as never)).toBe(
      'largest 260 steps · mean 1.25 steps · 50 % of texels differ',
    )
  })
})
