// What a person has stated, read from the document, and what edits make of it before the server has answered.
// Whatever is computed comes from the server; what is only said is shown at once.
import { PLAIN_GROUND, PLAIN_SUN } from './tables'
import type { Document, Edit, Feed, InputName, Material } from './types'

type Inputs = NonNullable<Material['inputs']>
type Mesh = NonNullable<Document['meshes']>[string]

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

type Effects = {
  [Kind in Edit['kind']]?: (document: Document, edit: Extract<Edit, { kind: Kind }>) => Document
}

/** What an edit makes of the document, for each kind whose effect is plain. */
const EFFECTS: Effects = {
  'rename-project': (document, edit) => ({ ...document, name: edit.name }),
  'set-target': (document, edit) => ({ ...document, target: edit.target }),
  'set-feed': (document, edit) =>
    withInputs(document, edit.material, (inputs) => {
      const rest = Object.fromEntries(
        Object.entries(inputs).filter(([input]) => input !== edit.input),
      ) as Inputs
      return edit.feed ? { ...rest, [edit.input]: edit.feed } : rest
    }),
  'change-feed': (document, edit) => withFeed(document, edit, edit.change as Partial<Feed>),
  'place-feed': (document, edit) => {
    if (edit.part === 'uv' || edit.part === 'wrap')
      return withFeed(document, edit, { [edit.part]: edit.value ?? null })
    const uv =
      feedOf(document, edit.material, edit.input)?.uv ?? settingOf(document, edit.material, 'uv')
    return withFeed(document, edit, { uv: withPart(uv, edit.part, edit.value) })
  },
  'keep-colours': (document, edit) =>
    withMesh(document, edit.mesh, () => ({ vertex_colours: edit.keep ? 'keep' : 'leave' })),
  'set-setting': (document, edit) =>
    withMaterial(document, edit.material, (entry) =>
      withSetting(document, edit.material, entry, edit.setting, edit.value),
    ),
  assign: (document, edit) =>
    withMesh(document, edit.mesh, (mesh) => ({
      slots: {
        ...mesh.slots,
        ...Object.fromEntries(edit.slots.map((slot) => [slot, edit.material])),
      },
    })),
  'set-done': (document, edit) =>
    withMesh(document, edit.mesh, (mesh) => ({
      done: [
        ...(mesh.done ?? []).filter((slot) => slot !== edit.slot),
        ...(edit.done ? [edit.slot] : []),
      ],
    })),
  'leave-out': (document, edit) => {
    const without = (names?: string[] | null) =>
      (names ?? []).filter((name) => !edit.names.includes(name))
    const left = [...without(document.left_out?.[edit.what]), ...(edit.out ? edit.names : [])]
    const exported = [...without(document.also_exported), ...(edit.out ? [] : edit.names)]
    return {
      ...document,
      left_out: { ...document.left_out, [edit.what]: left },
      ...(edit.what === 'materials' && { also_exported: exported }),
    }
  },
  'set-map': (document, edit) => {
    const stated = Object.fromEntries(
      Object.entries({
        roles: edit.roles,
        encoding: edit.encoding,
        normal_y: edit.normal_y,
        set: edit.set,
      }).filter(([, value]) => value != null),
    )
    const byHand = Object.keys(stated).join() !== 'set'
    const changed = Object.entries(document.maps ?? {})
      .filter(([name]) => edit.maps.includes(name))
      .map(([name, map]) => [name, { ...map, ...stated, by_hand: map.by_hand || byHand }] as const)
    return { ...document, maps: { ...document.maps, ...Object.fromEntries(changed) } }
  },
  stand: (document, edit) =>
    withScene(document, { items: { ...document.scene?.items, ...edit.items } }),
  'move-item': (document, edit) => {
    const items = document.scene?.items
    const item = items?.[edit.item]
    return item
      ? withScene(document, { items: { ...items, [edit.item]: { ...item, ...edit.change } } })
      : document
  },
  'take-away': (document, edit) =>
    withScene(document, {
      items: Object.fromEntries(
        Object.entries(document.scene?.items ?? {}).filter(([name]) => !edit.items.includes(name)),
      ),
    }),
  'set-ground': (document, edit) =>
    withScene(document, {
      ground: edit.change && { ...PLAIN_GROUND, ...document.scene?.ground, ...edit.change },
    }),
  'set-sun': (document, edit) =>
    withScene(document, {
      sun: edit.change && { ...PLAIN_SUN, ...document.scene?.sun, ...edit.change },
    }),
  'set-panorama': (document, edit) => withScene(document, { panorama: edit.map }),
}

/** The document as it will be, as far as an edit's effect is plain; other edits are seen when the server has answered. */
export function withEdits(document: Document, edit: Edit): Document {
  const effect = EFFECTS[edit.kind] as ((document: Document, edit: Edit) => Document) | undefined
  return effect ? effect(document, edit) : document
}

function withFeed(
  document: Document,
  { material, input }: { material: string; input: InputName },
  change: Partial<Feed>,
): Document {
  const feed = feedOf(document, material, input)
  return feed
    ? withInputs(document, material, (inputs) => ({
        ...inputs,
        [input]: { ...feed, ...change } as Feed,
      }))
    : document
}

function withMesh(
  document: Document,
  name: string,
  change: (mesh: Mesh) => Partial<Mesh>,
): Document {
  const mesh = document.meshes?.[name]
  return mesh
    ? { ...document, meshes: { ...document.meshes, [name]: { ...mesh, ...change(mesh) } } }
    : document
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
