// Where the things of the scene stand. Metres, y up; as `matrices` in the core's document/scene_layout.py.
import type { Box3 } from 'three'
import { Euler, Matrix4, Quaternion, Vector3 } from 'three'

import type { SceneItem } from '../api/types'

type Place = readonly [number, number, number]

/** What a document leaves unsaid. */
export const STANDS = {
  position: [0, 0, 0] as Place,
  rotation: [0, 0, 0] as Place,
  scale: 1,
  repeat: [1, 1] as readonly [number, number],
  every: [1, 1] as readonly [number, number],
}

/** The middle of a box's underside. */
export function underside(box: Box3): Vector3 {
  const middle = box.getCenter(new Vector3())
  return middle.setY(box.min.y)
}

/** Where each repetition of a thing stands, from its mesh's own metres to the scene's. */
export function matricesOf(item: SceneItem, under: Vector3): Matrix4[] {
  const { position, rotation, scale, repeat, every } = { ...STANDS, ...item }
  const [x, y, z] = rotation.map((degrees) => (degrees * Math.PI) / 180) as [number, number, number]
  const turned = new Quaternion().setFromEuler(new Euler(x, y, z, 'YXZ'))
  const own = new Matrix4().makeTranslation(under.clone().negate())
  const found: Matrix4[] = []
  for (let row = 0; row < repeat[1]; row += 1)
    for (let column = 0; column < repeat[0]; column += 1) {
      const at = new Vector3(...position)
      at.x += column * every[0]
      at.z += row * every[1]
      const placed = new Matrix4().compose(at, turned, new Vector3(scale, scale, scale))
      found.push(placed.multiply(own))
    }
  return found
}

/** How far a scene reaches from its middle, and where that is: things by their largest extents, however they are turned. */
export function reach(
  items: readonly SceneItem[],
  sizeOf: (mesh: string) => readonly number[],
): { middle: Vector3; radius: number } {
  const low = new Vector3(Infinity, 0, Infinity)
  const high = new Vector3(-Infinity, 0, -Infinity)
  for (const item of items) {
    const { position, scale, repeat, every } = { ...STANDS, ...item }
    const [width = 0, height = 0, depth = 0] = sizeOf(item.mesh)
    const half = (scale * Math.hypot(width, depth)) / 2
    for (const [column, row] of [
      [0, 0],
      [repeat[0] - 1, repeat[1] - 1],
    ] as const) {
      const at = new Vector3(...position)
      at.x += column * every[0]
      at.z += row * every[1]
      low.min(new Vector3(at.x - half, at.y, at.z - half))
      high.max(new Vector3(at.x + half, at.y + scale * height, at.z + half))
    }
  }
  if (low.x > high.x) return { middle: new Vector3(), radius: 1 }
  return {
    middle: low.clone().add(high).multiplyScalar(0.5),
    radius: Math.max(0.05, low.distanceTo(high) / 2),
  }
}

/** Rounded to what a person can mean: millimetres, tenths of a degree. */
export const rounded = (value: number, digits: number) => Number(value.toFixed(digits))
