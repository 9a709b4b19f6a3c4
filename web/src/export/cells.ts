// What a cell of the trial's board says of itself.
import type { Cell, Material } from '../api/types'
import { INPUT_WORDS, VERDICTS, causeWords, readable } from '../words'
import { labels } from '../words/export'

const HEADS: Record<string, string> = {
  base_color: labels.base,
  metallic: labels.metal,
  roughness: labels.rough,
  normal: labels.normal,
  occlusion: labels.occl,
  emission: labels.emiss,
  opacity: labels.opac,
  settings: labels.settings,
  mesh: labels.mesh,
  scene: labels.scene,
  clearcoat: labels.coat,
  clearcoat_roughness: labels.coatR,
  sheen_roughness: labels.shnR,
  transmission: labels.transm,
  thickness: labels.thickn,
  attenuation: labels.inside,
  attenuation_distance: labels.reach,
  ior: 'IOR',
}

/** What is compared besides inputs. */
const BESIDE = ['settings', 'mesh', 'scene']
const BESIDE_WORDS: Record<string, string> = {
  settings: labels.settings,
  mesh: labels.theMesh,
  scene: labels.theSceneOfTheFile,
}

/** Whether a cell is as it was meant but for what a codec loses. */
export const isCompressed = (cell: Cell) => cell.verdict === 'close' && cell.cause === 'compressed'

export const short = (cell: Cell): string => {
  const { glyph } = VERDICTS[cell.verdict]
  if (cell.cause && isWrong(cell)) return `${glyph} ${causeWords(cell.cause)}`
  if (cell.verdict === 'close' && (isCompressed(cell) || cell.unit === 'degrees')) {
    const most = cell.max_error ?? 0
    return `${glyph} ${most.toFixed(most < 10 ? 1 : 0)}${cell.unit === 'degrees' ? '°' : ''}`
  }
  if (cell.verdict === 'close') return `${glyph} ½`
  return cell.verdict === 'same' ? `${glyph} 0` : glyph
}

/** The name of an input, or of what is compared besides inputs. */
export const nameOf = (input: string) =>
  BESIDE_WORDS[input] ?? INPUT_WORDS[input as keyof typeof INPUT_WORDS].name

/** The name of an input at the head of a narrow column. */
export const headOf = (input: string) => HEADS[input] ?? nameOf(input)

export const cellKey = (cell: Cell) => `${cell.mesh}|${cell.slot}|${cell.input}`
export const slotKey = (cell: Cell) => `${cell.mesh}|${cell.slot}`
export const isWrong = (cell: Cell) => cell.verdict === 'differs' || cell.verdict === 'lost'

/** Whether an input arrived at its default because no material in the chain says anything of it. */
export function isIdle(cell: Cell, materials: Record<string, Material>) {
  const used = (name: string | null): boolean => {
    const entry = name ? materials[name] : undefined
    if (!entry) return false
    const inputs = entry.inputs ?? {}
    // F0 arrives as metallic, or as the specular colour that stands in its place.
    if (cell.input === 'metallic' && 'f0' in inputs) return true
    return cell.input in inputs || used(entry.from ?? null)
  }
  return cell.verdict === 'same' && !BESIDE.includes(cell.input) && !used(cell.material)
}

const SCALE_UNITS: Record<string, string> = { '8-bit steps': labels.stepsOf8Bits }

/** What black and white stand for in the picture of a difference. */
export const differenceScale = (cell: Cell) =>
  cell.white_at == null
    ? ''
    : labels.blackIsNoDifferenceWhiteOr(
        readable(cell.white_at),
        SCALE_UNITS[cell.unit!] ?? cell.unit,
      )
