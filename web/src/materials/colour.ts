// Colours as people pick them (sRGB) and as documents keep them (linear). Source: IEC 61966-2-1.
import { labels } from '../words/materials'
export type Triple = [number, number, number]

const encode = (linear: number) =>
  linear <= 0.0031308 ? linear * 12.92 : 1.055 * linear ** (1 / 2.4) - 0.055
const decode = (encoded: number) =>
  encoded <= 0.04045 ? encoded / 12.92 : ((encoded + 0.055) / 1.055) ** 2.4

/** A linear colour as the hexadecimal sRGB that a colour picker takes; beyond 1 it is clipped. */
export const toHex = (linear: readonly number[]) =>
  `#${linear
    .slice(0, 3)
    .map((value) =>
      Math.round(255 * encode(Math.min(1, Math.max(0, value))))
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`

/** A picked colour as linear light, rounded to what a picker can mean. */
export const fromHex = (hex: string): Triple => {
  const part = (at: number) =>
    Number(decode(parseInt(hex.slice(at, at + 2), 16) / 255).toPrecision(6))
  return [part(1), part(3), part(5)]
}

export type ColourUnit = 'hex' | 'bytes' | 'linear'
export const COLOUR_UNITS: { key: ColourUnit; words: string }[] = [
  { key: 'hex', words: labels.srgbHex },
  { key: 'bytes', words: labels.srgb0255 },
  { key: 'linear', words: labels.linear01 },
]

/** A linear colour in numbers of a kind. */
export function colourText(linear: readonly number[], unit: ColourUnit): string {
  if (unit === 'hex') return toHex(linear)
  return linear
    .slice(0, 3)
    .map((value) =>
      unit === 'linear'
        ? String(Number(value.toPrecision(5)))
        : String(Math.round(255 * encode(Math.min(1, Math.max(0, value))))),
    )
    .join('  ')
}

/** A typed colour as linear light, or what is wrong with it. Numbers stand apart by spaces or semicolons; a comma is a decimal comma. */
export function readColour(text: string, unit: ColourUnit): Triple | string {
  if (unit === 'hex' || text.trim().startsWith('#')) {
    const digits = text.trim().replace(/^#/, '')
    if (/^[0-9a-f]{3}$/i.test(digits)) return fromHex(`#${[...digits].map((d) => d + d).join('')}`)
    return /^[0-9a-f]{6}$/i.test(digits) ? fromHex(`#${digits}`) : labels.sixHexDigitsSuchAs
  }
  const most = unit === 'bytes' ? 255 : 1
  const parts = text
    .trim()
    .split(/[;\s]+|,\s+/)
    .map((part) => Number(part.replace(',', '.')))
  const right = parts.length === 3 && parts.every((part) => part >= 0 && part <= most)
  if (!right) return labels.threeNumbersFrom0To(most)
  return (unit === 'linear' ? parts : parts.map((part) => decode(part / 255))) as Triple
}
