// Which faces a box and a brush reach, and what becomes of those that are picked already.
import { describe, expect, it } from 'vitest'

import { withFaces } from '../src/meshes/usePickedFaces'
import { bySlot, read } from '../src/viewport/PickIds'

const SIZE = { width: 6, height: 4 }
/** What is drawn, rows from above; 0 is nothing. */
const DRAWN = [
  [0, 0, 0, 0, 0, 0],
  [0, 1, 1, 2, 2, 0],
  [0, 1, 70000, 2, 2, 0],
  [0, 0, 0, 0, 0, 3],
]

function pixels(x: number, y: number, width: number, height: number, into: Uint8Array) {
  for (let row = 0; row < height; row += 1)
    for (let column = 0; column < width; column += 1) {
      // Rows of a target run upwards.
      const number = DRAWN[SIZE.height - 1 - (y + row)]![x + column]!
      const at = 4 * (row * width + column)
      into.set([number % 256, Math.floor(number / 256) % 256, number >> 16, number ? 255 : 0], at)
    }
}

const seen = (region: Parameters<typeof read>[0]) => [...read(region, SIZE, pixels)].sort()

describe('what is seen in a region', () => {
  it('is every face with a pixel in a box, and no other', () => {
    expect(seen({ x: 0, y: 0, width: 6, height: 4 })).toEqual([1, 2, 3, 70000])
    expect(seen({ x: 0, y: 1, width: 2, height: 2 })).toEqual([1])
    expect(seen({ x: 2, y: 2, width: 1, height: 1 })).toEqual([70000])
    expect(seen({ x: 0, y: 0, width: 6, height: 1 })).toEqual([])
  })
  it('ends at the stage', () => {
    expect(seen({ x: -50, y: -50, width: 500, height: 500 })).toEqual([1, 2, 3, 70000])
    expect(seen({ x: 50, y: 50, width: 5, height: 5 })).toEqual([])
  })
  it('is round under a brush', () => {
    expect(seen({ x: 1, y: 1, width: 5, height: 3, radius: 0.9 })).toEqual([2])
  })
})

describe('picked faces', () => {
  const slots = [
    { slot: 'Hull', first: 1, count: 2 },
    { slot: 'Deck', first: 3, count: 69998 },
  ]
  it('are counted within their slots', () => {
    expect(bySlot([1, 2, 3, 70000, 90000], slots)).toEqual({ Hull: [0, 1], Deck: [0, 69997] })
  })
  it('are added across slots, or taken instead', () => {
    const before = { Hull: new Set([0]) }
    expect(withFaces(before, { Hull: [1], Deck: [5] }, true)).toEqual({
      Hull: new Set([0, 1]),
      Deck: new Set([5]),
    })
    expect(withFaces(before, { Deck: [5] }, false)).toEqual({ Deck: new Set([5]) })
    expect(withFaces(before, {}, false)).toEqual({})
  })
})
