// What the interface computes of feeds itself, against vectors that the core has made.
import { readFileSync } from 'node:fs'

import { describe, expect, it } from 'vitest'

import { INPUT_TABLE } from '../src/api/tables'
import type { Feed, InputName } from '../src/api/types'
import { fromHex, toHex } from '../src/materials/colour'
import {
  PLAIN,
  WIDE,
  changes,
  curve,
  defaultChannels,
  firstValue,
  unfed,
} from '../src/materials/feed'
import { INPUTS, bytes, count, sizeWords, sizesWith } from '../src/words'

interface Vector {
  feed: Feed
  values: number[]
  given: number[]
}

const vectors = JSON.parse(readFileSync(process.env.EKTOPOS_VECTORS ?? '', 'utf8')) as Vector[]

describe('the curve of a chain of adjustments', () => {
  it.each(vectors.map((vector, index) => [index, vector] as const))(
    '%i as in the core',
    (_, vector) => {
      vector.values.forEach((value, at) => {
        expect(curve(vector.feed, value)).toBeCloseTo(vector.given[at]!, 5)
      })
    },
  )
  it('leaves values alone without adjustments', () => {
    expect(curve(PLAIN, 0.37)).toBe(0.37)
  })
})

describe('what a feed changes, as chips', () => {
  const feed = (change: Partial<Feed>): Feed => ({ ...PLAIN, value: 0, ...change })
  it.each<[InputName, Partial<Feed>, string[]]>([
    ['roughness', {}, []],
    ['roughness', { invert: true }, ['invert']],
    ['roughness', { range: [0.1, 0.8] }, ['range .10–.80']],
    ['roughness', { offset: -0.25 }, ['−0.25']],
    ['normal', { strength: 0.8 }, ['×0.80']],
    ['occlusion', { strength: 0.5 }, ['strength .50']],
    ['base_color', { tint: [1, 0.5, 1] }, ['tint']],
  ])('%s %o', (input, change, words) => {
    expect(changes(input, feed(change))).toEqual(words)
  })
})

describe('the table of inputs', () => {
  it.each(INPUTS)('%s has a value to begin with that fits it', (input) => {
    const wide = INPUT_TABLE[input].kind !== 'data'
    expect(Array.isArray(firstValue(input))).toBe(wide)
    expect(Array.isArray(unfed(input))).toBe(wide)
    expect(defaultChannels(input)).toBe(wide ? 'rgb' : 'r')
    expect(WIDE.includes(input)).toBe(wide)
  })
})

describe('colours and words', () => {
  // Source: IEC 61966-2-1: code 128 of 255 is 0.21586 of light.
  it('turns hex into linear light and back', () => {
    expect(fromHex('#808080')[0]).toBeCloseTo(0.21586, 4)
    expect(toHex([0.21586, 0, 1])).toBe('#8000ff')
    expect(toHex(fromHex('#1f6f6b'))).toBe('#1f6f6b')
    expect(toHex([2, -1, 0])).toBe('#ff0000')
  })
  it('says amounts', () => {
    expect([bytes(500), bytes(2048), bytes(22369620)]).toEqual(['500 B', '2.0 kB', '21 MB'])
    expect([count(1, 'map'), count(2, 'mesh', 'meshes')]).toEqual(['1 map', '2 meshes'])
    expect([sizeWords(8, 8), sizeWords(8, 4)]).toEqual(['8²', '8 × 4'])
    expect(sizesWith(100).slice(0, 2)).toEqual([0, 4096])
    expect(sizesWith(100)).toContain(100)
  })
})
