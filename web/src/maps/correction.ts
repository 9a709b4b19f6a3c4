// What it takes to say what a map is.
import { COLOUR_ROLES as COLOURS, PACKING_PRESETS } from '../api/tables'
import type { BoardMap, Edit, Role } from '../api/types'

/** Roles that hold colours, and so are sRGB: the core's list. */
export const COLOUR_ROLES: readonly Role[] = COLOURS

/** The packings to choose from, by the channels R, G, B and A: the core's table. */
export const PACKINGS: readonly (readonly Role[])[] = PACKING_PRESETS

/** The encoding that a map of these roles has: a packed one holds data, one quantity has its own, and alpha has none. */
export function encodingOf(roles: BoardMap['roles'], isFloat: boolean): 'srgb' | 'linear' {
  const main = Object.values(roles)[0]
  const alone = Object.keys(roles).filter((group) => group !== 'a').length <= 1
  return alone && !isFloat && main && COLOUR_ROLES.includes(main) ? 'srgb' : 'linear'
}

/** The channel group that a role of the whole map stands under. */
export const groupOf = (map: BoardMap) => (map.channels >= 3 ? 'rgb' : 'r')

/** The edit that moves a map, or one channel of it, to another role and set on the board. */
export function moved(map: BoardMap, channels: string, role: Role, set: string): Edit {
  const single = channels.length === 1 && map.channels > 1 && Object.keys(map.roles).length > 1
  const held: Role = role === 'roughness' && map.roles[channels] === 'gloss' ? 'gloss' : role
  const roles = single
    ? { ...map.roles, [channels]: held }
    : { [groupOf(map)]: held, ...(map.roles.a ? { a: map.roles.a } : {}) }
  const encoding = encodingOf(roles, map.is_float)
  return { kind: 'set-map', maps: [map.name], roles, encoding, set }
}
