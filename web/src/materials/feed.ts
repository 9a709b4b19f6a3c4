// Feeds: what is plain, what has been changed in words, and the curve that a chain of adjustments makes.
import type { Feed, InputName } from '../api/types'

export type Layer = NonNullable<Feed['layers']>[number]
type Channels = NonNullable<Feed['channels']>

export const COLOURS: InputName[] = ['base_color', 'emission', 'sheen']
export const WIDE: InputName[] = [...COLOURS, 'normal']

/** Adjustments that change nothing. */
export const UNCHANGED = {
  invert: false,
  range_in: [0, 1] as [number, number],
  gamma: 1,
  contrast: 1,
  pivot: 0.5,
  multiply: 1,
  offset: 0,
  range: [0, 1] as [number, number],
  hue: 0,
  saturation: 1,
  brightness: 1,
  tint: [1, 1, 1] as [number, number, number],
}
type Source = Pick<Feed, keyof typeof UNCHANGED>
export const PLAIN = { ...UNCHANGED, layers: [], strength: 1 }

export const DEFAULT_VALUES: Record<InputName, Feed['value']> = {
  base_color: [0.5, 0.5, 0.5],
  metallic: 0,
  roughness: 0.5,
  normal: [0, 0, 1],
  occlusion: 1,
  emission: [0, 0, 0],
  opacity: 1,
  height: 0.5,
  ior: 1.5,
  specular: 1,
  clearcoat: 1,
  clearcoat_roughness: 0.1,
  sheen: [0.5, 0.5, 0.5],
  sheen_roughness: 0.5,
  transmission: 1,
  thickness: 0.01,
  attenuation: [1, 1, 1],
  attenuation_distance: 1,
}

/** What an input is when nothing feeds it (glTF 2.0). */
export const OFF: Partial<Record<InputName, Feed['value']>> = {
  base_color: [1, 1, 1],
  metallic: 0,
  roughness: 1,
  normal: [0, 0, 1],
  occlusion: 1,
  emission: [0, 0, 0],
  opacity: 1,
}

/** Constants that go beyond 1, with the largest value their slider shows. */
export const LARGEST: Partial<Record<InputName, number>> = {
  ior: 3,
  thickness: 1,
  attenuation_distance: 10,
}

export const defaultChannels = (input: InputName): Channels => (WIDE.includes(input) ? 'rgb' : 'r')

const short = (value: number) => value.toFixed(2).replace(/^(-?)0/, '$1')
const pair = (values: number[] | undefined) => values ?? [0, 1]

/** What a feed changes, in the order it does it, as chips. */
export function changes(input: InputName, feed: Feed): string[] {
  const [inLow, inHigh] = pair(feed.range_in)
  const [low, high] = pair(feed.range)
  const strength = feed.strength ?? 1
  const given: [boolean, string][] = [
    [feed.invert ?? false, 'invert'],
    [inLow !== 0 || inHigh !== 1, `from ${short(inLow!)}–${short(inHigh!)}`],
    [(feed.gamma ?? 1) !== 1, `gamma ${(feed.gamma ?? 1).toFixed(2)}`],
    [(feed.contrast ?? 1) !== 1, `contrast ${(feed.contrast ?? 1).toFixed(2)}`],
    [(feed.multiply ?? 1) !== 1, `×${(feed.multiply ?? 1).toFixed(2)}`],
    [
      (feed.offset ?? 0) !== 0,
      `${(feed.offset ?? 0) > 0 ? '+' : '−'}${Math.abs(feed.offset ?? 0).toFixed(2)}`,
    ],
    [low !== 0 || high !== 1, `range ${short(low!)}–${short(high!)}`],
    [(feed.hue ?? 0) !== 0, `hue ${feed.hue}°`],
    [(feed.saturation ?? 1) !== 1, `satur. ${short(feed.saturation ?? 1)}`],
    [(feed.brightness ?? 1) !== 1, `bright. ${short(feed.brightness ?? 1)}`],
    [(feed.tint ?? [1, 1, 1]).some((value) => value !== 1), 'tint'],
    [(feed.layers ?? []).length > 0, `${feed.layers?.length} over it`],
    [
      strength !== 1,
      input === 'normal' || input === 'emission'
        ? `×${strength.toFixed(2)}`
        : `strength ${short(strength)}`,
    ],
  ]
  return given.filter(([said]) => said).map(([, words]) => words)
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
