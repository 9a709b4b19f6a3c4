// What the screen asks of the scene's camera and its drawing; set by the canvas while it shows the scene.
import { create } from 'zustand'

export interface Seen {
  position: [number, number, number]
  target: [number, number, number]
}

export interface CameraApi {
  /** From where the scene is seen now. */
  seen: () => Seen
  go: (view: Seen) => void
  /** All of it in sight. */
  fit: () => void
  /** A picture of what is seen, so many pixels wide and high; on a background, or see-through with null. */
  still: (width: number, height: number, background: string | null) => Promise<Blob>
}

interface Held {
  hand: CameraApi | null
  /** From where it shall be seen once it is there. */
  wanted: Seen | null
  /** What the last picture took. */
  drawn: { draws: number; triangles: number } | null
  set: (part: Partial<Pick<Held, 'hand' | 'wanted' | 'drawn'>>) => void
}

export const useCameraApi = create<Held>((set) => ({ hand: null, wanted: null, drawn: null, set }))

/** Sees the scene from there: now, or as soon as it is drawn. */
export function seeFrom(view: Seen) {
  const { hand, set } = useCameraApi.getState()
  if (hand) hand.go(view)
  else set({ wanted: view })
}
