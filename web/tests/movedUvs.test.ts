// UVs as they are tried before they are kept, against what the core makes of the same step.
import { readFileSync } from 'node:fs'

import { BufferAttribute, BufferGeometry } from 'three'
import { describe, expect, it } from 'vitest'

import { type Move, cornersOf, moved, toTexels } from '../src/meshes/movedUvs'

interface Case {
  move: Move
  at: number[] | null
  before: number[]
  after: number[]
}

const cases = JSON.parse(readFileSync(process.env.EKTOPOS_MOVES ?? '', 'utf8')) as Case[]

describe('UVs that are tried', () => {
  it.each(cases.map((one, index) => [index, one] as const))(
    '%i lie where the step puts them',
    (_, one) => {
      const found = moved(new Float32Array(one.before), one.at, one.move)
      one.after.forEach((value, at) => expect(found[at]).toBeCloseTo(value, 5))
    },
  )
  it('are those of every corner, whether vertices are shared or not', () => {
    const geometry = new BufferGeometry()
    geometry.setAttribute('uv', new BufferAttribute(new Float32Array([0, 0, 1, 0, 1, 1, 0, 1]), 2))
    geometry.setIndex([0, 1, 2, 0, 2, 3])
    const apart = [0, 0, 1, 0, 1, 1, 0, 0, 1, 1, 0, 1]
    expect([...cornersOf(geometry)]).toEqual(apart)
    expect([...cornersOf(geometry.toNonIndexed())]).toEqual(apart)
    expect(cornersOf(new BufferGeometry())).toHaveLength(0)
  })
  it('move by whole texels', () => {
    expect(toTexels(0.1004, 512)).toBe(51 / 512)
    expect(toTexels(-0.0009, 1024)).toBe(-1 / 1024)
  })
})
