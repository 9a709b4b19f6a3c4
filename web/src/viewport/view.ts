// How the stage is looked at. Shared by the screens, so that the light stays when a person moves on or comes back.
import { create } from 'zustand'
import { persist } from 'zustand/middleware'

import { LIGHT_TABLE } from '../api/tables'

export type LightName = keyof typeof LIGHT_TABLE
export type Backdrop = 'grey' | 'black' | 'white'

export const LIGHTS = (Object.keys(LIGHT_TABLE) as LightName[]).map((key) => ({
  key,
  words: LIGHT_TABLE[key].label,
  shows: LIGHT_TABLE[key].shows,
}))

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
  /** Whether lamps throw shadows. */
  shadows: boolean
  /** Whether a reference chart stands beside the subject. */
  chart: boolean
  /** How deep height is drawn, in widths of its picture. */
  depth: number
  backdrop: Backdrop
}

/** What the stage looks like at first, and when all is taken back; which light it is and whether it turns are no part of it. */
export const USUAL: Omit<Settings, 'light' | 'turning'> = {
  brightness: 1,
  lightTurn: 0,
  speed: 4,
  backdrop: 'grey',
  wire: false,
  backs: false,
  checker: false,
  toneMapped: false,
  shadows: false,
  chart: false,
  depth: 0.04,
}

interface View extends Settings {
  setLight: (light: LightName) => void
  setTurning: (turning: boolean) => void
  set: (change: Partial<Settings>) => void
}

export const useView = create<View>()(
  persist(
    (set) => ({
      light: 'overcast',
      turning: false,
      ...USUAL,
      setLight: (light) => set({ light }),
      setTurning: (turning) => set({ turning }),
      set,
    }),
    {
      name: 'ektopos-view',
      // What turns by itself after a reload would surprise.
      partialize: ({ light, speed, brightness, lightTurn, backdrop, depth }) => ({
        light,
        speed,
        brightness,
        lightTurn,
        backdrop,
        depth,
      }),
      // A light that is not there any more is the first one.
      merge: (kept, now) => {
        const known = { ...now, ...(kept as Partial<View>) }
        return known.light in LIGHT_TABLE ? known : { ...known, light: now.light }
      },
    },
  ),
)
