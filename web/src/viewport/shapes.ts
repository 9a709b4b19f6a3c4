// Simple shapes to look at a material on. UVs follow glTF: v runs down.
import {
  BufferGeometry,
  CylinderGeometry,
  Float32BufferAttribute,
  PlaneGeometry,
  SphereGeometry,
} from 'three'

export type ShapeName = 'specimen' | 'sphere' | 'plane' | 'cylinder'
import { labels } from '../words/viewport'
export const SHAPES: { key: ShapeName; words: string }[] = [
  { key: 'specimen', words: labels.wordSpecimen },
  { key: 'sphere', words: labels.wordSphere },
  { key: 'plane', words: labels.wordPlane },
  { key: 'cylinder', words: labels.wordCylinder },
]

const GRID = 128
const DOME = 0.66
const RISE = 0.46
const BEVEL = 0.09
const THICK = 0.16

/** How much of the stage a shape takes, seen from its corner. */
export const ACROSS: Record<ShapeName, number> = { specimen: 2.5, sphere: 2, plane: 2, cylinder: 2 }

/** Height of the specimen over its slab: a cap that meets the flat in a small fillet. */
function domeHeight(x: number, y: number): number {
  const r = Math.hypot(x, y) / DOME
  if (r >= 1.12) return 0
  const cap = r < 1 ? Math.sqrt(1 - r * r) : 0
  const fillet = Math.max(0, 1 - Math.abs(r - 1) / 0.12)
  return RISE * Math.max(cap, 0.055 * fillet * fillet)
}

/** Our own default shape: a low dome rising from a bevelled slab, so that flat, curved, edge and grazing views are there at once. */
function specimen(): BufferGeometry {
  const positions: number[] = []
  const uvs: number[] = []
  const indices: number[] = []
  const reach = GRID / 2 + 4
  const side = 2 * reach + 1
  for (let row = -reach; row <= reach; row += 1) {
    for (let column = -reach; column <= reach; column += 1) {
      const x = clampTo(column / (GRID / 2))
      const y = clampTo(row / (GRID / 2))
      const over = Math.max(Math.abs(column), Math.abs(row)) - GRID / 2
      const edge = Math.max(Math.abs(x), Math.abs(y))
      const bevel = edge > 1 - BEVEL ? (edge - (1 - BEVEL)) * 0.8 : 0
      const drop = over > 0 ? (over / 4) * THICK : 0
      positions.push(x, domeHeight(x, y) - bevel - drop, y)
      uvs.push(0.5 + x / 2, 0.5 + y / 2 + 0)
    }
  }
  for (let row = 0; row < side - 1; row += 1) {
    for (let column = 0; column < side - 1; column += 1) {
      const a = row * side + column
      indices.push(a, a + side, a + 1, a + 1, a + side, a + side + 1)
    }
  }
  const geometry = new BufferGeometry()
  geometry.setAttribute('position', new Float32BufferAttribute(positions, 3))
  geometry.setAttribute('uv', new Float32BufferAttribute(uvs, 2))
  geometry.setIndex(indices)
  geometry.computeVertexNormals()
  return geometry
}

const clampTo = (value: number) => Math.max(-1, Math.min(1, value))

function downwards(geometry: BufferGeometry): BufferGeometry {
  const uv = geometry.getAttribute('uv')
  for (let i = 0; i < uv.count; i += 1) uv.setY(i, 1 - uv.getY(i))
  return geometry
}

/** A shape; its one UV set stands for all, so that maps on further sets are seen as well. */
export function makeShape(name: ShapeName): BufferGeometry {
  const made = bare(name)
  for (const further of ['uv1', 'uv2', 'uv3']) made.setAttribute(further, made.getAttribute('uv'))
  return made
}

function bare(name: ShapeName): BufferGeometry {
  if (name === 'sphere') return downwards(new SphereGeometry(0.9, 96, 64))
  if (name === 'cylinder') return downwards(new CylinderGeometry(0.6, 0.6, 1.5, 96, 1))
  if (name === 'plane') return downwards(new PlaneGeometry(1.8, 1.8)).rotateX(-Math.PI / 2.6)
  return specimen()
}
