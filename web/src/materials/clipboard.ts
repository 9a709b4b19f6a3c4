// Rows and sheets that were copied, to be pasted into another material.
import { create } from 'zustand'

import type { Feed, InputName, Material } from '../api/types'

interface Clipboard {
  row: { input: InputName; feed: Feed } | null
  sheet: { name: string; entry: Material } | null
  copyRow: (row: { input: InputName; feed: Feed }) => void
  copySheet: (name: string, entry: Material) => void
}

export const useClipboard = create<Clipboard>((set) => ({
  row: null,
  sheet: null,
  copyRow: (row) => set({ row }),
  copySheet: (name, entry) => set({ sheet: { name, entry } }),
}))
