// What it takes to say what a map is.
import type { BoardMap, Edit, Role } from '../api/types'

export const COLOUR_ROLES: Role[] = ['base_color', 'emission', 'specular', 'subsurface']

/** The channel group that a role of the whole map stands under. */
export const groupOf = (map: BoardMap) => (map.channels >= 3 ? 'rgb' : 'r')

/** The edit that moves a map, or one channel of it, to another role and set on the board. */
export function moved(map: BoardMap, channels: string, role: Role, set: string): Edit {
  const single = channels.length === 1 && map.channels > 1 && Object.keys(map.roles).length > 1
  const held: Role = role === 'roughness' && map.roles[channels] === 'gloss' ? 'gloss' : role
  const roles = single
    ? { ...map.roles, [channels]: held }
    : { [groupOf(map)]: held, ...(map.roles.a ? { a: map.roles.a } : {}) }
  const encoding = COLOUR_ROLES.includes(held) && !single && !map.is_float ? 'srgb' : 'linear'
  return { kind: 'set-map', maps: [map.name], roles, encoding, set }
}
