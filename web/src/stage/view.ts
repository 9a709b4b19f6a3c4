// How the stage is looked at. Shared by the screens, so that the light stays when a person moves on.
import { create } from 'zustand'

export type LightName = 'overcast' | 'low-sun' | 'points' | 'rim' | 'grey-room'
export type Backdrop = 'grey' | 'black' | 'white'

export const LIGHTS: { key: LightName; words: string; shows: string }[] = [
  { key: 'overcast', words: 'Overcast', shows: 'even light: colour and occlusion' },
  { key: 'low-sun', words: 'Low sun', shows: 'light from the side: normals and height' },
  { key: 'points', words: 'Bright points', shows: 'small lamps: roughness' },
  { key: 'rim', words: 'Dark, rim', shows: 'little light: emission' },
  { key: 'grey-room', words: 'Grey room', shows: 'a plain room: metal and colour' },
]

interface Settings {
  light: LightName
  turning: boolean
  /** Turns a minute. */
  speed: number
  /** Multiplies all light. */
  brightness: number
  /** The light turned about the upright axis, in degrees. */
  lightTurn: number
  wire: boolean
  backs: boolean
  checker: boolean
  toneMapped: boolean
  backdrop: Backdrop
}

interface View extends Settings {
  setLight: (light: LightName) => void
  setTurning: (turning: boolean) => void
  set: (change: Partial<Settings>) => void
}

export const useView = create<View>((set) => ({
  light: 'low-sun',
  turning: false,
  speed: 4,
  brightness: 1,
  lightTurn: 0,
  wire: false,
  backs: false,
  checker: false,
  toneMapped: true,
  backdrop: 'grey',
  setLight: (light) => set({ light }),
  setTurning: (turning) => set({ turning }),
  set,
}))
