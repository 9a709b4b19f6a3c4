// Notices: what went wrong, or what was done, said once at the foot of the screen.
import { create } from 'zustand'

interface Notices {
  /** What went wrong, or a sentence about what was done. */
  current: Error | string | null
  say: (problem: Error | string) => void
  clear: () => void
}

export const useNotices = create<Notices>((set) => ({
  current: null,
  say: (problem) => set({ current: problem }),
  clear: () => set({ current: null }),
}))

interface Status {
  text: string
  keys: [string, string][]
  show: (text: string) => void
  setKeys: (keys: [string, string][]) => void
}

/** The line at the foot: what is under the pointer, and which keys work here. */
export const useStatus = create<Status>((set) => ({
  text: '',
  keys: [],
  show: (text) => set({ text }),
  setKeys: (keys) => set({ keys }),
}))
