// UVs that are tried on the stage before they are kept: by slot, those of every corner of a mesh's triangles.
import { BufferAttribute } from 'three'
import type { BufferGeometry } from 'three'
import { create } from 'zustand'

interface UvPreview {
  /** The geometry that they are of; nothing while none are tried. */
  of: string | null
  corners: Record<string, Float32Array>
  show: (of: string | null, corners: Record<string, Float32Array>) => void
}

export const useUvPreview = create<UvPreview>((set) => ({
  of: null,
  corners: {},
  show: (of, corners) => set({ of, corners }),
}))

/** A geometry with other UVs at its triangles' corners. */
export function withUvs(geometry: BufferGeometry, corners: Float32Array): BufferGeometry {
  const apart = geometry.index ? geometry.toNonIndexed() : geometry.clone()
  apart.setAttribute('uv', new BufferAttribute(corners, 2))
  return apart
}
