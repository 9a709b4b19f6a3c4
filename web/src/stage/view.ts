// How the stage is looked at. Shared by the screens, so that the light stays when a person moves on.
import { create } from 'zustand'

export type LightName = 'overcast' | 'low-sun' | 'points' | 'rim' | 'grey-room'

export const LIGHTS: { key: LightName; words: string; shows: string }[] = [
  { key: 'overcast', words: 'Overcast', shows: 'even light: colour and occlusion' },
  { key: 'low-sun', words: 'Low sun', shows: 'light from the side: normals and height' },
  { key: 'points', words: 'Bright points', shows: 'small lamps: roughness' },
  { key: 'rim', words: 'Dark, rim', shows: 'little light: emission' },
  { key: 'grey-room', words: 'Grey room', shows: 'a plain room: metal and colour' },
]

interface View {
  light: LightName
  turning: boolean
  setLight: (light: LightName) => void
  setTurning: (turning: boolean) => void
}

export const useView = create<View>((set) => ({
  light: 'low-sun',
  turning: false,
  setLight: (light) => set({ light }),
  setTurning: (turning) => set({ turning }),
}))
