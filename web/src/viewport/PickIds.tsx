// Which faces of a mesh are seen where on the stage: drawn once more out of sight, every face in a colour that is its number.
import { useLoader, useThree } from '@react-three/fiber'
import { useEffect, useMemo, useRef } from 'react'
import type { BufferGeometry, Group } from 'three'
import {
  BufferAttribute,
  DoubleSide,
  Mesh,
  NoBlending,
  Scene,
  ShaderMaterial,
  WebGLRenderTarget,
} from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
import { create } from 'zustand'

import type { Renamed } from './Subjects'
import { piecesOf } from './Subjects'

/** A part of the stage in its own pixels, from above left; with a radius, the circle in it. */
export interface Region {
  x: number
  y: number
  width: number
  height: number
  radius?: number
}

/** Numbers of faces within their slots, by slot. */
export type Faces = Record<string, number[]>

interface Picker {
  seenIn: ((region: Region) => Faces) | null
  set: (seenIn: Picker['seenIn']) => void
}

export const usePicker = create<Picker>((set) => ({
  seenIn: null,
  set: (seenIn) => set({ seenIn }),
}))

/** Stands where the mesh stands, and tells which of its faces are seen. */
export function PickIds({
  geometryKey,
  renamed,
  hidden,
}: {
  geometryKey: string
  renamed: Renamed
  hidden: string[]
}) {
  const gltf = useLoader(GLTFLoader, `/api/mesh-geometry/${geometryKey}.glb`)
  const get = useThree((state) => state.get)
  const place = useRef<Group>(null)
  const without = hidden.join('\n')
  const { scene, slots, centre } = useMemo(() => {
    const { pieces, centre } = piecesOf(gltf.scene, renamed)
    const shown = pieces.filter(({ slot }) => !without.split('\n').includes(slot))
    const scene = new Scene()
    const slots: { slot: string; first: number; count: number }[] = []
    let first = 1
    for (const { slot, geometry } of shown) {
      const numbered = withNumbers(geometry, first)
      const count = numbered.getAttribute('position').count / 3
      const mesh = new Mesh(numbered, NUMBERS)
      mesh.matrixAutoUpdate = false
      mesh.frustumCulled = false
      scene.add(mesh)
      slots.push({ slot, first, count })
      first += count
    }
    return { scene, slots, centre }
  }, [gltf, renamed, without])
  useEffect(() => {
    usePicker.getState().set((region) => {
      const { gl, camera, size } = get()
      scene.children.forEach((mesh) => {
        mesh.matrix.copy(place.current!.matrixWorld)
        mesh.matrixWorldNeedsUpdate = true
      })
      const target = new WebGLRenderTarget(size.width, size.height)
      const { autoClear } = gl
      const before = gl.getRenderTarget()
      const alpha = gl.getClearAlpha()
      gl.setRenderTarget(target)
      gl.setClearAlpha(0)
      gl.autoClear = true
      gl.render(scene, camera)
      const found = read(region, size, (x, y, width, height, into) =>
        gl.readRenderTargetPixels(target, x, y, width, height, into),
      )
      gl.setRenderTarget(before)
      gl.setClearAlpha(alpha)
      gl.autoClear = autoClear
      target.dispose()
      return bySlot(found, slots)
    })
    return () => {
      usePicker.getState().set(null)
      scene.children.forEach((mesh) => (mesh as Mesh).geometry.dispose())
    }
  }, [get, scene, slots])
  return <group ref={place} position={centre.clone().negate()} />
}

const NUMBERS = new ShaderMaterial({
  side: DoubleSide,
  blending: NoBlending,
  toneMapped: false,
  vertexShader: `
    attribute float number;
    flat varying float face;
    void main() {
      face = number;
      gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
    }`,
  fragmentShader: `
    flat varying float face;
    void main() {
      float high = floor(face / 65536.0);
      float middle = floor((face - high * 65536.0) / 256.0);
      gl_FragColor = vec4(mod(face, 256.0), middle, high, 255.0) / 255.0;
    }`,
})

/** A geometry whose corners know the number of their face; 0 is none. */
function withNumbers(geometry: BufferGeometry, first: number): BufferGeometry {
  const apart = geometry.index ? geometry.toNonIndexed() : geometry.clone()
  const corners = apart.getAttribute('position').count
  const numbers = new Float32Array(corners)
  for (let corner = 0; corner < corners; corner += 1)
    numbers[corner] = first + Math.floor(corner / 3)
  apart.setAttribute('number', new BufferAttribute(numbers, 1))
  return apart
}

type Read = (x: number, y: number, width: number, height: number, into: Uint8Array) => void

/** Every number in a region; rows of a target run upwards. */
export function read(
  region: Region,
  size: { width: number; height: number },
  pixels: Read,
): Set<number> {
  const left = Math.max(0, Math.floor(region.x))
  const top = Math.max(0, Math.floor(region.y))
  const width = Math.min(Math.ceil(region.x + region.width), Math.floor(size.width)) - left
  const height = Math.min(Math.ceil(region.y + region.height), Math.floor(size.height)) - top
  const found = new Set<number>()
  if (width <= 0 || height <= 0) return found
  const codes = new Uint8Array(4 * width * height)
  pixels(left, Math.floor(size.height) - top - height, width, height, codes)
  const middle = [region.x + region.width / 2, region.y + region.height / 2] as const
  for (let row = 0; row < height; row += 1)
    for (let column = 0; column < width; column += 1) {
      const at = 4 * (row * width + column)
      const number = codes[at]! + 256 * codes[at + 1]! + 65536 * codes[at + 2]!
      if (number === 0 || codes[at + 3] !== 255) continue
      const x = left + column + 0.5 - middle[0]
      const y = top + height - row - 0.5 - middle[1]
      if (region.radius === undefined || Math.hypot(x, y) <= region.radius) found.add(number)
    }
  return found
}

/** Numbers counted through all slots, as those within each. */
export function bySlot(
  found: Iterable<number>,
  slots: readonly { slot: string; first: number; count: number }[],
): Faces {
  const faces: Faces = {}
  for (const number of found) {
    const own = slots.find(({ first, count }) => number >= first && number < first + count)
    if (own) (faces[own.slot] ??= []).push(number - own.first)
  }
  return faces
}
