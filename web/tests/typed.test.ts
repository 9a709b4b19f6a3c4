import { describe, expect, it } from 'vitest'

import { problemOf, readNumber } from '../src/components/useTyped'
import { colourText, readColour } from '../src/materials/colour'
import { placed } from '../src/materials/feed'
import { exact } from '../src/words'

describe('typed numbers', () => {
  it('takes a point or a comma', () => {
    expect([readNumber('0,25'), readNumber(' 0.25 '), readNumber('a'), readNumber('')]).toEqual([
      0.25,
      0.25,
      null,
      null,
    ])
  })
  it.each([
    ['0.5', [0, 1], null],
    ['2', [0, 1], 'from 0 to 1'],
    ['-1', [0, null], '0 or more'],
    ['4', [null, 3], '3 or less'],
    ['x', [0, 1], 'a number, such as 0.5 or 0,5'],
  ] as const)('%s within %j: %s', (text, limits, problem) => {
    expect(problemOf(text, limits)).toBe(problem)
  })
  it('says where maps lie', () => {
    expect(placed({ offset: [0, 0], rotation: 0 })).toEqual([])
    expect(placed({ offset: [0.25, 0], rotation: Math.PI / 4 })).toEqual([
      'offset 0.25, 0',
      'rotated 45°',
    ])
  })
  it('shows what was typed', () => {
    expect([exact(0.8, 2), exact(0.125, 2), exact(45), exact(0.123456)]).toEqual([
      '0.80',
      '0.125',
      '45',
      '0.123456',
    ])
  })
})

// Source: IEC 61966-2-1: the code 188 of 255 is 0.5029 of linear light, 127.5 is 0.2140 (from memory).
describe('typed colours', () => {
  it('reads hex, codes and linear light', () => {
    expect(readColour('#ff0000', 'hex')).toEqual([1, 0, 0])
    expect(readColour('f00', 'hex')).toEqual([1, 0, 0])
    expect((readColour('188 0 255', 'bytes') as number[])[0]).toBeCloseTo(0.5029, 4)
    expect(readColour('0,5; 0,25; 1', 'linear')).toEqual([0.5, 0.25, 1])
    expect(readColour('0.5, 0.25, 1', 'linear')).toEqual([0.5, 0.25, 1])
    expect(readColour('#ff0000', 'linear')).toEqual([1, 0, 0])
  })
  it('refuses with the range', () => {
    expect(readColour('300 0 0', 'bytes')).toBe(
      'three numbers from 0 to 255, with spaces between them',
    )
    expect(readColour('1 2', 'linear')).toBe('three numbers from 0 to 1, with spaces between them')
    expect(readColour('#12', 'hex')).toBe('six hex digits, such as #b0815a')
  })
  it('shows them again as they were read', () => {
    for (const [text, unit] of [
      ['#b0815a', 'hex'],
      ['176  129  90', 'bytes'],
      ['0.5  0.25  1', 'linear'],
    ] as const)
      expect(colourText(readColour(text, unit) as number[], unit)).toBe(text)
  })
})
