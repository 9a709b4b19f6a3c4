// UVs as a step would move them, before it is made: as `_move` in the core's meshes/recipe.py.
import type { BufferGeometry } from 'three'

export interface Move {
  offset: readonly [number, number]
  /** Degrees, counter-clockwise as seen. */
  rotation: number
  scale: readonly [number, number]
  /** What it turns about; null is the middle of what is moved. */
  about: readonly [number, number] | null
}

/** The UVs of every corner of every triangle, two numbers each. */
export function cornersOf(geometry: BufferGeometry): Float32Array {
  const uvs = geometry.getAttribute('uv')
  if (!uvs) return new Float32Array()
  const { index } = geometry
  const count = index ? index.count : uvs.count
  const found = new Float32Array(2 * count)
  for (let corner = 0; corner < count; corner += 1) {
    const vertex = index ? index.getX(corner) : corner
    found[2 * corner] = uvs.getX(vertex)
    found[2 * corner + 1] = uvs.getY(vertex)
  }
  return found
}

/** All corners, those of some faces moved; of all faces without any. */
export function moved(corners: Float32Array, faces: number[] | null, move: Move): Float32Array {
  const found = corners.slice()
  const places: number[] = []
  if (faces) for (const face of faces) for (let k = 0; k < 3; k += 1) places.push(3 * face + k)
  else for (let corner = 0; corner < corners.length / 2; corner += 1) places.push(corner)
  const [aboutU, aboutV] = move.about ?? middleOf(corners, places)
  const angle = (move.rotation * Math.PI) / 180
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)]
  for (const corner of places) {
    const u = (corners[2 * corner]! - aboutU) * move.scale[0]
    const v = (corners[2 * corner + 1]! - aboutV) * move.scale[1]
    // v runs down, so a turn that looks counter-clockwise has its signs the other way round.
    found[2 * corner] = cos * u + sin * v + aboutU + move.offset[0]
    found[2 * corner + 1] = cos * v - sin * u + aboutV + move.offset[1]
  }
  return found
}

function middleOf(corners: Float32Array, places: number[]): [number, number] {
  const low = [Infinity, Infinity]
  const high = [-Infinity, -Infinity]
  for (const corner of places)
    for (const axis of [0, 1]) {
      const value = corners[2 * corner + axis]!
      low[axis] = Math.min(low[axis]!, value)
      high[axis] = Math.max(high[axis]!, value)
    }
  return [(low[0]! + high[0]!) / 2, (low[1]! + high[1]!) / 2]
}

/** A number of UV units that is a whole number of texels. */
export const toTexels = (value: number, size: number) => Math.round(value * size) / size
