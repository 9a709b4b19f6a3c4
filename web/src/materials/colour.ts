// Colours as people pick them (sRGB) and as documents keep them (linear). Source: IEC 61966-2-1.
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
