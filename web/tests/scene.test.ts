// Where things stand in the scene, against places that the core has made; and what the scene can be seen as.
import { readFileSync } from 'node:fs'

import { Matrix4, Vector3 } from 'three'
import { describe, expect, it } from 'vitest'

import { withEdits } from '../src/api/optimistic'
import type { Document, Package, SceneItem } from '../src/api/types'
import { matricesOf, reach } from '../src/scene/place'
import { hindrance, packageFor } from '../src/scene/sides'

interface Placed {
  item: SceneItem
  underside: [number, number, number]
  matrices: number[][]
}

const known = JSON.parse(readFileSync(process.env.EKTOPOS_PLACES ?? '', 'utf8')) as Placed[]

describe('a thing in the scene', () => {
  it.each(known.map((placed, index) => [index, placed] as const))(
    '%i stands where the core stands it',
    (_, { item, underside, matrices }) => {
      const found = matricesOf(item, new Vector3(...underside))
      expect(found).toHaveLength(matrices.length)
      found.forEach((matrix, at) => {
        const rows = new Matrix4().copy(matrix).transpose().elements
        rows.forEach((value, cell) => expect(value).toBeCloseTo(matrices[at]![cell]!, 9))
      })
    },
  )
  it('is in sight with all its repetitions', () => {
    const item = { ...known[1]!.item, rotation: [0, 0, 0] } as SceneItem
    const { middle, radius } = reach([item], () => [2, 1, 0])
    // Three of them half a metre apart, two rows backwards by 1.25 m, each one metre to either side.
    expect(middle.toArray()).toEqual([0.5, 0.5, -0.625])
    expect(radius).toBeCloseTo(Math.hypot(3, 1, 3.25) / 2, 9)
  })
})

describe('the sides of the scene', () => {
  const pack = (part: Partial<Package>) =>
    ({ target: 'gltf-glb', brought_in: '', holds: {}, arrived: false, ...part }) as Package
  it('takes the newest package that was made here', () => {
    const packages = [
      pack({ id: 3, brought_in: 'other.zip' }),
      pack({ id: 2, target: 'usdz' }),
      pack({ id: 1 }),
    ]
    expect(packageFor(packages, 'gltf-glb')?.id).toBe(1)
  })
  it('says why it cannot be seen so', () => {
    expect(hindrance('meant', undefined)).toBeNull()
    expect(hindrance('arrived', undefined)).toMatch('no package')
    expect(hindrance('arrived', pack({}))).toMatch('not stored')
    expect(hindrance('arrived', pack({ arrived: true }))).toBeNull()
    expect(hindrance('file', pack({ holds: { lamp: 'lamp.usdz' } }))).toMatch('not glTF')
    expect(hindrance('file', pack({ holds: { lamp: 'lamp.glb' } }))).toBeNull()
  })
})

describe('what is said of the scene is seen before it is saved', () => {
  const empty = { ektopos: 1, name: 'p', target: 'gltf-glb' } as unknown as Document
  const stands = withEdits(empty, {
    kind: 'stand',
    items: { lamp: { mesh: 'lamp' }, pier: { mesh: 'pier' } },
  } as never)
  it('stands, moves and takes away', () => {
    const moved = withEdits(stands, {
      kind: 'move-item',
      item: 'lamp',
      change: { position: [1, 0, 2] },
    })
    expect(moved.scene?.items?.lamp).toEqual({ mesh: 'lamp', position: [1, 0, 2] })
    expect(withEdits(moved, { kind: 'take-away', items: ['lamp'] }).scene?.items).toEqual({
      pier: { mesh: 'pier' },
    })
  })
  it('lays a ground part by part, and takes it away whole', () => {
    const laid = withEdits(stands, { kind: 'set-ground', change: { material: 'moss' } })
    expect(laid.scene?.ground).toEqual({ material: 'moss', size: 20, tile: 2 })
    const larger = withEdits(laid, { kind: 'set-ground', change: { size: 30 } })
    expect(larger.scene?.ground?.material).toBe('moss')
    expect(withEdits(larger, { kind: 'set-ground', change: null }).scene?.ground).toBeNull()
  })
})
