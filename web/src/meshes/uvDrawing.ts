// The picture of a UV layout: its map on every square, its triangles in lines, drawn on a canvas.
import { useEffect, useState } from 'react'

import type { SlotFacts } from '../api/types'
import { RAMP, STAGE } from '../theme'
import type { MeshView } from './measures'
import { colourOf } from './measures'

/** A picture by its address, once it is there. */
export function useImage(address: string | null): HTMLImageElement | null {
  const [loaded, setLoaded] = useState<{ of: string; image: HTMLImageElement } | null>(null)
  useEffect(() => {
    if (!address) return
    const coming = new Image()
    coming.onload = () => setLoaded({ of: address, image: coming })
    coming.src = address
  }, [address])
  return loaded && loaded.of === address ? loaded.image : null
}

/** Where to look so that 0–1 and all of the slot's UVs are seen. */
export function fit(slot: SlotFacts): Place {
  const low = [0, 1].map((axis) => Math.min(0, slot.uv.min?.[axis] ?? 0))
  const high = [0, 1].map((axis) => Math.max(1, slot.uv.max?.[axis] ?? 1))
  const reach = Math.max(high[0]! - low[0]!, high[1]! - low[1]!) * 1.04
  return {
    zoom: 1 / reach,
    u: (low[0]! + high[0]! - reach) / 2,
    v: (low[1]! + high[1]! - reach) / 2,
  }
}

/** The layout over its map, each triangle in the colour of its value. */
export function draw(
  context: CanvasRenderingContext2D,
  at: Place,
  image: HTMLImageElement | null,
  corners: Float32Array,
  values: Float32Array | null,
  view: MeshView,
  usual: number,
) {
  drawGround(context, at, image)
  const path = pathOf(context, at, corners)
  const count = corners.length / 2
  if (values) {
    context.globalAlpha = 0.8
    for (let i = 0; i < count; i += 3) {
      context.fillStyle = `#${colourOf(view, values[i / 3] ?? NaN, usual).getHexString()}`
      context.beginPath()
      path(i)
      context.fill()
    }
    context.globalAlpha = 1
  }
  drawLines(context, path, count)
}

export interface Place {
  zoom: number
  u: number
  v: number
}

/** A picture on every square of the UVs that is seen, the first one plainly. */
export function drawGround(
  context: CanvasRenderingContext2D,
  at: Place,
  image: HTMLImageElement | null,
) {
  const side = context.canvas.width
  const x = (u: number) => (u - at.u) * at.zoom * side
  const y = (v: number) => (v - at.v) * at.zoom * side
  context.fillStyle = RAMP.none
  context.fillRect(0, 0, side, side)
  const unit = at.zoom * side
  const [left, top] = [Math.floor(at.u), Math.floor(at.v)]
  for (let v = top; v <= Math.floor(at.v + 1 / at.zoom) && v - top < 24; v += 1) {
    for (let u = left; u <= Math.floor(at.u + 1 / at.zoom) && u - left < 24; u += 1) {
      context.globalAlpha = u === 0 && v === 0 ? 1 : 0.35
      if (image) context.drawImage(image, x(u), y(v), unit, unit)
    }
  }
  context.globalAlpha = 1
  context.strokeStyle = STAGE.black
  context.lineWidth = 1
  context.strokeRect(x(0), y(0), unit, unit)
}

/** Puts the triangle that begins at a corner into the path. */
export function pathOf(context: CanvasRenderingContext2D, at: Place, corners: Float32Array) {
  const scale = at.zoom * context.canvas.width
  return (i: number) => {
    for (let k = 0; k < 3; k += 1) {
      const [u, v] = [corners[2 * (i + k)]!, corners[2 * (i + k) + 1]!]
      const [x, y] = [(u - at.u) * scale, (v - at.v) * scale]
      if (k === 0) context.moveTo(x, y)
      else context.lineTo(x, y)
    }
    context.closePath()
  }
}

/** The edges of all triangles, light on dark. Many lines are drawn thinner, so that the layout stays to be seen. */
export function drawLines(
  context: CanvasRenderingContext2D,
  path: (corner: number) => void,
  count: number,
) {
  const thin = count > 30_000 ? 0.35 : 0.9
  context.beginPath()
  for (let i = 0; i < count; i += 3) path(i)
  context.strokeStyle = STAGE.black
  context.globalAlpha = 0.5 * thin
  context.lineWidth = 3
  context.stroke()
  context.globalAlpha = thin
  context.strokeStyle = STAGE.white
  context.lineWidth = 1.2
  context.stroke()
  context.globalAlpha = 1
}
