// What a person has stated, read from the document, and what edits make of it before the server has answered.
// Whatever is computed comes from the server; what is only said is shown at once.
import { PLAIN_GROUND, PLAIN_SUN } from './tables'
import type { Document, Edit, Feed, InputName, Material } from './types'

type Inputs = NonNullable<Material['inputs']>

/** Materials from one to its last base, nearest first. */
export function chainOf(document: Document, name: string): Material[] {
  const chain: Material[] = []
  let current: string | null | undefined = name
  while (current && chain.length < 100) {
    const entry: Material | undefined = document.materials?.[current]
    if (!entry || chain.includes(entry)) break
    chain.push(entry)
    current = entry.from
  }
  return chain
}

/** What feeds an input, a material's own or inherited; undefined where nothing does. */
export function feedOf(document: Document, material: string, input: InputName): Feed | undefined {
  return chainOf(document, material).find((entry) => entry.inputs?.[input])?.inputs?.[input]
}

type Plain =
  | 'alpha_mode'
  | 'alpha_cutoff'
  | 'double_sided'
  | 'uv'
  | 'wrap'
  | 'filter'
  | 'shading'
  | 'surface_tag'
  | 'size_limit'
  | 'covers'

/** A setting, a material's own or inherited; undefined where nobody states it. */
export function settingOf<Key extends Plain>(
  document: Document,
  material: string,
  key: Key,
): NonNullable<Material[Key]> | undefined {
  for (const entry of chainOf(document, material)) {
    const value = entry[key]
    if (value !== null && value !== undefined) return value as NonNullable<Material[Key]>
  }
  return undefined
}

type Uv = NonNullable<Material['uv']>
const NO_TRANSFORM = {
  set: 0,
  tiling: [1, 1] as [number, number],
  offset: [0, 0] as [number, number],
  rotation: 0,
}

function withSetting(
  document: Document,
  name: string,
  entry: Material,
  setting: string,
  value: unknown,
): Material {
  if (!setting.startsWith('uv.')) return { ...entry, [setting]: value ?? null }
  return { ...entry, uv: withPart(settingOf(document, name, 'uv'), setting, value) }
}

/** A UV transform with one part set, as `uv.tiling.u`; without a value, set to what changes nothing. */
function withPart(stated: Uv | undefined, part: string, value: unknown): Uv {
  const uv = { ...NO_TRANSFORM, ...stated }
  const [, key, axis] = part.split('.') as [
    'uv',
    'tiling' | 'offset' | 'rotation' | 'set',
    'u' | 'v' | undefined,
  ]
  if ((key !== 'tiling' && key !== 'offset') || axis === undefined)
    return { ...uv, [key]: value ?? NO_TRANSFORM[key] }
  const pair: [number, number] = [...uv[key]]
  const at = axis === 'u' ? 0 : 1
  pair[at] = (value as number | null) ?? NO_TRANSFORM[key][at]
  return { ...uv, [key]: pair }
}

function withMaterial(
  document: Document,
  name: string,
  change: (entry: Material) => Material,
): Document {
  const entry = document.materials?.[name]
  return entry
    ? { ...document, materials: { ...document.materials, [name]: change(entry) } }
    : document
}

function withInputs(
  document: Document,
  name: string,
  change: (inputs: Inputs) => Inputs,
): Document {
  return withMaterial(document, name, (entry) => ({ ...entry, inputs: change(entry.inputs ?? {}) }))
}

/** The document as it will be, as far as an edit's effect is plain; other edits are seen when the server has answered. */
export function withEdits(document: Document, edit: Edit): Document {
  switch (edit.kind) {
    case 'rename-project':
      return { ...document, name: edit.name }
    case 'set-target':
      return { ...document, target: edit.target }
    case 'set-feed':
      return withInputs(document, edit.material, (inputs) => {
        const rest = Object.fromEntries(
          Object.entries(inputs).filter(([input]) => input !== edit.input),
        ) as Inputs
        return edit.feed ? { ...rest, [edit.input]: edit.feed } : rest
      })
    case 'change-feed': {
      const feed = feedOf(document, edit.material, edit.input)
      return feed
        ? withInputs(document, edit.material, (inputs) => ({
            ...inputs,
            [edit.input]: { ...feed, ...edit.change } as Feed,
          }))
        : document
    }
    case 'place-feed': {
      const feed = feedOf(document, edit.material, edit.input)
      const whole = edit.part === 'uv' || edit.part === 'wrap'
      const uv = feed?.uv ?? settingOf(document, edit.material, 'uv')
      const change = whole
        ? { [edit.part]: edit.value ?? null }
        : { uv: withPart(uv, edit.part, edit.value) }
      return feed
        ? withInputs(document, edit.material, (inputs) => ({
            ...inputs,
            [edit.input]: { ...feed, ...change } as Feed,
          }))
        : document
    }
    case 'keep-colours': {
      const mesh = document.meshes?.[edit.mesh]
      const kept = { ...mesh, vertex_colours: edit.keep ? 'keep' : 'leave' } as typeof mesh
      return mesh ? { ...document, meshes: { ...document.meshes, [edit.mesh]: kept! } } : document
    }
    case 'set-setting':
      return withMaterial(document, edit.material, (entry) =>
        withSetting(document, edit.material, entry, edit.setting, edit.value),
      )
    case 'assign':
    case 'set-done': {
      const mesh = document.meshes?.[edit.mesh]
      if (!mesh) return document
      const changed =
        edit.kind === 'assign'
          ? {
              ...mesh,
              slots: {
                ...mesh.slots,
                ...Object.fromEntries(edit.slots.map((slot) => [slot, edit.material])),
              },
            }
          : {
              ...mesh,
              done: [
                ...(mesh.done ?? []).filter((slot) => slot !== edit.slot),
                ...(edit.done ? [edit.slot] : []),
              ],
            }
      return { ...document, meshes: { ...document.meshes, [edit.mesh]: changed } }
    }
    case 'leave-out': {
      const kept = (document.left_out?.[edit.what] ?? []).filter(
        (name) => !edit.names.includes(name),
      )
      return {
        ...document,
        left_out: { ...document.left_out, [edit.what]: [...kept, ...(edit.out ? edit.names : [])] },
        ...(edit.what === 'materials' && {
          also_exported: [
            ...(document.also_exported ?? []).filter((name) => !edit.names.includes(name)),
            ...(edit.out ? [] : edit.names),
          ],
        }),
      }
    }
    case 'set-map': {
      const maps = { ...document.maps }
      for (const name of edit.maps) {
        const entry = maps[name]
        if (!entry) continue
        const said = Object.fromEntries(
          Object.entries({
            roles: edit.roles,
            encoding: edit.encoding,
            normal_y: edit.normal_y,
            set: edit.set,
          }).filter(([, value]) => value != null),
        )
        maps[name] = {
          ...entry,
          ...said,
          by_hand: entry.by_hand || Object.keys(said).join() !== 'set',
        }
      }
      return { ...document, maps }
    }
    case 'stand':
      return withScene(document, { items: { ...document.scene?.items, ...edit.items } })
    case 'move-item': {
      const item = document.scene?.items?.[edit.item]
      return item
        ? withScene(document, {
            items: { ...document.scene?.items, [edit.item]: { ...item, ...edit.change } },
          })
        : document
    }
    case 'take-away':
      return withScene(document, {
        items: Object.fromEntries(
          Object.entries(document.scene?.items ?? {}).filter(
            ([name]) => !edit.items.includes(name),
          ),
        ),
      })
    case 'set-ground':
      return withScene(document, {
        ground: edit.change && { ...PLAIN_GROUND, ...document.scene?.ground, ...edit.change },
      })
    case 'set-sun':
      return withScene(document, {
        sun: edit.change && { ...PLAIN_SUN, ...document.scene?.sun, ...edit.change },
      })
    case 'set-panorama':
      return withScene(document, { panorama: edit.map })
    default:
      return document
  }
}

function withScene(document: Document, part: Partial<NonNullable<Document['scene']>>): Document {
  return { ...document, scene: { ...document.scene, ...part } }
}

/** An edit that was made before a thing it names was renamed, for afterwards. */
export function renamedIn(edit: Edit, done: Edit): Edit {
  if (done.kind === 'rename-material') {
    const now = (name: string) => (name === done.material ? done.name : name)
    if ('material' in edit && typeof edit.material === 'string')
      return { ...edit, material: now(edit.material) } as Edit
    if (edit.kind === 'add-material' && edit.base) return { ...edit, base: now(edit.base) }
  }
  if (
    done.kind === 'rename-set' &&
    'set' in edit &&
    edit.kind !== 'set-map' &&
    edit.set === done.set
  )
    return { ...edit, set: done.name } as Edit
  return edit
}
