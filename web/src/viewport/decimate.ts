// Meshes of very many triangles are drawn with fewer, as long as nobody asks for single triangles or texels;
// it is said, and all are there on request. Fewer triangles lie between the same vertices.
import { useEffect, useState } from 'react'
import { BufferAttribute, BufferGeometry } from 'three'
import { create } from 'zustand'

/** Triangles of a mesh up to which all are drawn, and to which larger ones are brought. */
export const MOST = 300_000

export interface Task {
  number: number
  index: Uint32Array
  positions: Float32Array
  /** UVs and normals of every vertex, five numbers each. */
  beside: Float32Array
  triangles: number
}

export interface Answer {
  number: number
  /** Nothing where it could not be done. */
  index: Uint32Array | null
}

export interface SlotPiece {
  slot: string
  geometry: BufferGeometry
}

interface Lighter {
  /** The meshes, by the key of their geometry, of which all triangles are asked for. */
  whole: Record<string, boolean>
  /** With how many triangles meshes are drawn; 0 while lighter ones are being made. */
  drawn: Record<string, number>
  ask: (key: string, whole: boolean) => void
  say: (key: string, triangles: number) => void
}

export const useDecimated = create<Lighter>((set) => ({
  whole: {},
  drawn: {},
  ask: (key, whole) => set((state) => ({ whole: { ...state.whole, [key]: whole } })),
  say: (key, triangles) => set((state) => ({ drawn: { ...state.drawn, [key]: triangles } })),
}))

/** The pieces of a mesh as they are drawn; nothing while lighter ones are being made. */
export function usePieces(key: string, pieces: SlotPiece[], exact: boolean): SlotPiece[] {
  const asked = useDecimated((state) => state.whole[key] ?? false)
  const fewer = !exact && !asked && trianglesOf(pieces) > MOST
  const [made, setMade] = useState<{ of: SlotPiece[]; pieces: SlotPiece[] } | null>(null)
  useEffect(() => {
    if (!fewer) return
    let gone = false
    void lighterPieces(pieces).then((light) => {
      if (!gone) setMade({ of: pieces, pieces: light })
    })
    return () => {
      gone = true
    }
  }, [fewer, key, pieces])
  const shown = !fewer ? pieces : made?.of === pieces ? made.pieces : NONE
  const drawn = trianglesOf(shown)
  useEffect(() => useDecimated.getState().say(key, drawn), [key, drawn])
  return shown
}

const NONE: SlotPiece[] = []

export function trianglesOf(pieces: SlotPiece[]): number {
  const corners = pieces.map(
    ({ geometry }) => geometry.index?.count ?? geometry.getAttribute('position').count,
  )
  return corners.reduce((sum, count) => sum + count, 0) / 3
}

const known = new WeakMap<BufferGeometry, Promise<BufferGeometry>>()

async function lighterPieces(pieces: SlotPiece[]): Promise<SlotPiece[]> {
  const share = MOST / trianglesOf(pieces)
  return Promise.all(
    pieces.map(async ({ slot, geometry }) => {
      const found = known.get(geometry) ?? lighterGeometry(geometry, share)
      known.set(geometry, found)
      return { slot, geometry: await found }
    }),
  )
}

async function lighterGeometry(geometry: BufferGeometry, share: number): Promise<BufferGeometry> {
  const positions = geometry.getAttribute('position')
  const corners = geometry.index
  if (!corners) return geometry
  const places = new Float32Array(3 * positions.count)
  const beside = new Float32Array(5 * positions.count)
  lay(positions, places, 3, 0)
  lay(geometry.attributes.uv, beside, 5, 0)
  lay(geometry.attributes.normal, beside, 5, 2)
  const fewer = await asked({
    index: new Uint32Array(corners.array),
    positions: places,
    beside,
    triangles: Math.ceil((corners.count / 3) * share),
  })
  if (!fewer) return geometry
  const light = new BufferGeometry()
  for (const [name, attribute] of Object.entries(geometry.attributes))
    light.setAttribute(name, attribute)
  light.setIndex(new BufferAttribute(fewer, 1))
  light.userData = geometry.userData
  return light
}

/** Every vertex' numbers of an attribute, so many numbers apart. */
function lay(
  attribute: BufferGeometry['attributes'][string] | undefined,
  into: Float32Array,
  apart: number,
  from: number,
) {
  if (!attribute) return
  for (let i = 0; i < attribute.count; i += 1)
    for (let part = 0; part < attribute.itemSize; part += 1)
      into[apart * i + from + part] = attribute.getComponent(i, part)
}

let worker: Worker | null = null
let last = 0
const waiting = new Map<number, (index: Uint32Array | null) => void>()

/** Does a task beside the page, which stays usable. */
function asked(task: Omit<Task, 'number'>): Promise<Uint32Array | null> {
  if (!worker) {
    worker = new Worker(new URL('./decimate.worker.ts', import.meta.url), { type: 'module' })
    worker.onmessage = ({ data }: MessageEvent<Answer>) => {
      waiting.get(data.number)?.(data.index)
      waiting.delete(data.number)
    }
    worker.onerror = () => {
      waiting.forEach((tell) => tell(null))
      waiting.clear()
    }
  }
  last += 1
  const number = last
  return new Promise((resolve) => {
    waiting.set(number, resolve)
    worker?.postMessage({ number, ...task }, [
      task.index.buffer,
      task.positions.buffer,
      task.beside.buffer,
    ])
  })
}
