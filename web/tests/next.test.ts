import { describe, expect, it } from 'vitest'

import type { Progress } from '../src/shell/next'
import { nextStep } from '../src/shell/next'

const done: Progress = {
  maps: 4,
  unsure: 0,
  materials: 1,
  meshes: 1,
  bare: 0,
  errors: 0,
  exported: true,
  passed: true,
}

describe('what is next', () => {
  it.each([
    [{}, null],
    [{ maps: 0, meshes: 0 }, 'maps'],
    [{ unsure: 2 }, 'maps'],
    [{ materials: 0 }, 'materials'],
    [{ meshes: 0 }, 'meshes'],
    [{ bare: 1 }, 'meshes'],
    [{ errors: 1 }, 'checks'],
    [{ exported: false }, 'export'],
    [{ passed: null }, 'export'],
    [{ passed: false }, 'export'],
    [{ unsure: 1, bare: 3, errors: 2 }, 'maps'],
  ])('%j leads to %s', (change, station) => {
    expect(nextStep({ ...done, ...change })?.to ?? null).toBe(station)
  })
})
