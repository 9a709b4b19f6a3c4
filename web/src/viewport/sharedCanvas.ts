// The one canvas of the stage. A graphics context, its shaders and filtered lights take seconds to make
// without a graphics card, so they are made once a session, and the canvas is moved from screen to screen.
import type { ReactNode } from 'react'
import { create } from 'zustand'

import type { Pose } from './pose'

export interface Shown {
  children: ReactNode
  /** How large what is shown is, in its own units: the camera stands so that it fills the stage. */
  size: number
  pose: Pose | undefined
  /** Whether the camera is put so that it does; without, whatever is shown does that. */
  framed?: boolean | undefined
}

interface Kept {
  /** The element that holds the canvas, wherever in the page it stands. */
  element: HTMLDivElement
  shown: Shown | null
  /** What could not be drawn, a sentence for each. */
  troubles: Record<string, string>
  /** Looks whose pictures take long to come. */
  late: string[]
  show: (shown: Shown | null) => void
  /** Something cannot be drawn, or can again. */
  fail: (what: string, sentence: string | null) => void
  /** A look's pictures take long, or have come. */
  wait: (what: string, long: boolean) => void
}

function holder(): HTMLDivElement {
  const element = document.createElement('div')
  Object.assign(element.style, { position: 'absolute', inset: '0' })
  return element
}

export const useSharedCanvas = create<Kept>((set) => ({
  element: holder(),
  shown: null,
  troubles: {},
  late: [],
  show: (shown) => set({ shown }),
  wait: (what, long) =>
    set(({ late }) => {
      if (late.includes(what) === long) return {}
      return { late: long ? [...late, what] : late.filter((other) => other !== what) }
    }),
  fail: (what, sentence) =>
    set(({ troubles }) => {
      if (sentence === (troubles[what] ?? null)) return {}
      const others = Object.entries(troubles).filter(([other]) => other !== what)
      return {
        troubles: Object.fromEntries(sentence === null ? others : [...others, [what, sentence]]),
      }
    }),
}))
