// How much of a geometry is shaded flat.
import { BoxGeometry, BufferGeometry, IcosahedronGeometry, SphereGeometry } from 'three'
import { describe, expect, it } from 'vitest'

import { flatShare } from '../src/meshes/flat'

describe('flat faces', () => {
  it('are all of a box, and none of a smooth ball', () => {
    expect(flatShare(new BoxGeometry(1, 2, 3))).toBe(1)
    expect(flatShare(new SphereGeometry(1, 24, 12))).toBe(0)
  })
  it('are told without an index, too', () => {
    expect(flatShare(new IcosahedronGeometry(1, 0))).toBe(1)
    expect(flatShare(new SphereGeometry(1, 24, 12).toNonIndexed())).toBe(0)
  })
  it('are not told without normals', () => {
    const bare = new BoxGeometry(1, 1, 1)
    bare.deleteAttribute('normal')
    expect(flatShare(bare)).toBeNull()
  })
  it('are told of nothing where there is nothing', () => {
    const empty = new BufferGeometry()
    empty.setAttribute('position', new BoxGeometry().getAttribute('position').clone())
    expect(flatShare(empty)).toBeNull()
  })
})
