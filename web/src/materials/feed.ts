// Feeds: what is plain, what has been changed in words, and the curve that a chain of adjustments makes.
import { INPUT_TABLE, OWN_SETTINGS, UNCHANGED_ADJUSTMENTS } from '../api/tables'
import type { Feed, InputName, Material } from '../api/types'
import { INPUTS, exact } from '../words'
import { labels } from '../words/materials'

export type Layer = NonNullable<Feed['layers']>[number]
export type Mask = NonNullable<Layer['mask']>
type Channels = NonNullable<Feed['channels']>

/** A mask before anything is said of it but its map. */
export const plainMask = {
  channels: 'r' as const,
  invert: false,
  contrast: 1,
  pivot: 0.5,
  uv: null,
  wrap: null,
}

const those = (test: (input: InputName) => boolean) => INPUTS.filter(test)
export const COLOURS = those((input) => INPUT_TABLE[input].kind === 'colour')
export const WIDE = those((input) => INPUT_TABLE[input].kind !== 'data')

type Adjusted = Required<Pick<Feed, keyof typeof UNCHANGED_ADJUSTMENTS>>
/** Adjustments that change nothing. */
export const UNCHANGED: Adjusted = structuredClone(UNCHANGED_ADJUSTMENTS) as unknown as Adjusted
type Source = Pick<Feed, keyof Adjusted>
export const PLAIN = { ...UNCHANGED, layers: [], strength: 1 }

const valueOf = (value: number | readonly [number, number, number]): Feed['value'] =>
  typeof value === 'number' ? value : [...value]

/** The constant that a person begins with. */
export const firstValue = (input: InputName) => valueOf(INPUT_TABLE[input].initial)

/** What an input is when nothing feeds it (glTF 2.0). */
export const unfed = (input: InputName) => valueOf(INPUT_TABLE[input].default)

/** The largest constant that a slider shows. */
export const largest = (input: InputName): number => INPUT_TABLE[input].slider

export const defaultChannels = (input: InputName): Channels => (WIDE.includes(input) ? 'rgb' : 'r')

const short = (value: number) => value.toFixed(2).replace(/^(-?)0/, '$1')
const pair = (values: number[] | undefined) => values ?? [0, 1]

/** Where a feed's maps lie apart from the material's own UVs, as chips. */
export function lies({ uv, wrap }: Pick<Feed, 'uv' | 'wrap'>): string[] {
  const [u, v] = wrap ?? []
  return [
    ...(uv ? [uv.set ? labels.uvSet2(uv.set) : 'own UVs'] : []),
    ...(u && v ? [u === v ? u : `${u}, ${v}`] : []),
  ]
}

/** Where maps lie besides how often they tile, as chips. */
export function placed({ offset, rotation }: Partial<NonNullable<Feed['uv']>>): string[] {
  const [u, v] = offset ?? [0, 0]
  const turn = ((rotation ?? 0) * 180) / Math.PI
  return [
    ...(u || v ? [labels.wordOffset(exact(u), exact(v))] : []),
    ...(turn ? [`rotated ${exact(turn)}°`] : []),
  ]
}

/** A feed with every adjustment that it leaves out. */
function complete(feed: Feed) {
  const stated = Object.entries(feed).filter(([, value]) => value != null)
  return { ...PLAIN, ...(Object.fromEntries(stated) as Partial<Feed>) } as Feed & typeof PLAIN
}

const signed = (value: number) => `${value > 0 ? '+' : '−'}${Math.abs(value).toFixed(2)}`

/** What a feed changes, in the order it does it, as chips. */
export function changes(input: InputName, feed: Feed): string[] {
  const f = complete(feed)
  const [inLow, inHigh] = pair(f.range_in)
  const [low, high] = pair(f.range)
  const isFactor = input === 'normal' || input === 'emission'
  const strength = isFactor ? `×${f.strength.toFixed(2)}` : `strength ${short(f.strength)}`
  const chips: [boolean, string][] = [
    [f.invert, 'invert'],
    [inLow !== 0 || inHigh !== 1, `from ${short(inLow!)}–${short(inHigh!)}`],
    [f.gamma !== 1, `gamma ${f.gamma.toFixed(2)}`],
    [f.contrast !== 1, `contrast ${f.contrast.toFixed(2)}`],
    [f.multiply !== 1, `×${f.multiply.toFixed(2)}`],
    [f.offset !== 0, signed(f.offset)],
    [low !== 0 || high !== 1, `range ${short(low!)}–${short(high!)}`],
    [f.hue !== 0, `hue ${f.hue}°`],
    [f.saturation !== 1, `satur. ${short(f.saturation)}`],
    [f.brightness !== 1, `bright. ${short(f.brightness)}`],
    [f.tint.some((value) => value !== 1), 'tint'],
    [f.layers.length > 0, f.layers.length === 1 ? '1 layer' : `${f.layers.length} layers`],
    [f.strength !== 1, strength],
  ]
  return chips.filter(([isChanged]) => isChanged).map(([, words]) => words)
}

/** What a value becomes, as the core computes it (without hue, saturation, tint, layers and strength). */
export function curve(feed: Source, value: number): number {
  const [inLow, inHigh] = pair(feed.range_in)
  const [low, high] = pair(feed.range)
  let v = feed.invert ? 1 - value : value
  if (inLow !== 0 || inHigh !== 1)
    v = Math.min(
      1,
      Math.max(0, (v - inLow!) / (Math.abs(inHigh! - inLow!) > 1e-9 ? inHigh! - inLow! : 1e-9)),
    )
  v = Math.max(v, 0) ** (feed.gamma ?? 1)
  v = (feed.pivot ?? 0.5) + (v - (feed.pivot ?? 0.5)) * (feed.contrast ?? 1)
  v = v * (feed.multiply ?? 1) + (feed.offset ?? 0)
  return low! + v * (high! - low!)
}

/** Settings that a material states itself, beside its feeds. */
export const ownSettings = (entry: Material) =>
  OWN_SETTINGS.filter((setting) => entry[setting] != null)
