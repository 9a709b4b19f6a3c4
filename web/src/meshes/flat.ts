import type { BufferGeometry } from 'three'
import { Vector3 } from 'three'

/** Cosine of half a degree: how far normals of a flat face may lean from it. */
const UPRIGHT = Math.cos((0.5 * Math.PI) / 180)

/** The share of a geometry's triangles whose corners have the normal of the face; a smooth plane has them too. */
export function flatShare(geometry: BufferGeometry): number | null {
  const [at, normals, { index }] = [
    geometry.getAttribute('position'),
    geometry.getAttribute('normal'),
    geometry,
  ]
  const count = index ? index.count : at.count
  if (!normals || count === 0) return null
  const corner = (i: number) => (index ? index.getX(i) : i)
  const [a, b, c, normal] = [new Vector3(), new Vector3(), new Vector3(), new Vector3()]
  let flat = 0
  for (let i = 0; i < count; i += 3) {
    a.fromBufferAttribute(at, corner(i))
    b.fromBufferAttribute(at, corner(i + 1)).sub(a)
    c.fromBufferAttribute(at, corner(i + 2)).sub(a)
    const face = b.cross(c).normalize()
    const lies = [0, 1, 2].every(
      (k) => normal.fromBufferAttribute(normals, corner(i + k)).dot(face) > UPRIGHT,
    )
    if (lies) flat += 1
  }
  return flat / (count / 3)
}
