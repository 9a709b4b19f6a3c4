// What codes are called on screen. Every label for a role, an input, a cause or a verdict comes from here.
import { INPUT_TABLE } from '../api/tables'
import type { AlphaMode, Cell, InputName, Job, Role, Verdict } from '../api/types'

export const ROLE_WORDS: Record<Role, string> = {
  base_color: 'Base colour',
  metallic: 'Metallic',
  roughness: 'Roughness',
  gloss: 'Gloss',
  normal: 'Normal',
  occlusion: 'Occlusion',
  height: 'Height',
  emission: 'Emission',
  opacity: 'Opacity',
  specular: 'Specular',
  subsurface: 'Subsurface',
  mask: 'Mask',
  unknown: 'Unknown',
}
export const ROLES = Object.keys(ROLE_WORDS) as Role[]

export const INPUTS = Object.keys(INPUT_TABLE) as InputName[]
/** What inputs are called, and what their values mean: the core's table says it. */
export const INPUT_WORDS = Object.fromEntries(
  INPUTS.map((input) => [
    input,
    { name: INPUT_TABLE[input].label, unit: INPUT_TABLE[input].description },
  ]),
) as Record<InputName, { name: string; unit: string }>
/** What an input is called in a material: base colour is diffuse in the specular workflow. */
export const inputName = (input: InputName, workflow: 'metallic' | 'specular' = 'metallic') =>
  workflow === 'specular' && input === 'base_color' ? 'Diffuse' : INPUT_WORDS[input].name
/** Inputs that extensions carry: shown once something feeds them. */
export const EXTRA_INPUTS = INPUTS.slice(INPUTS.indexOf('height') + 1)
export const TRIAL_INPUTS = [...INPUTS.slice(0, 7), 'settings'] as const
/** Inputs that a trial shows only where a material feeds them. */
export const TRIAL_EXTRAS = ['height', ...EXTRA_INPUTS] as const

export const ALPHA_WORDS: Record<AlphaMode, string> = {
  opaque: 'opaque',
  mask: 'mask',
  blend: 'blend',
}

export const VERDICTS: Record<
  Verdict,
  { glyph: string; word: string; tone: 'accent' | 'amber' | 'brick' | 'quiet' }
> = {
  same: { glyph: '=', word: 'identical', tone: 'accent' },
  close: { glyph: '≈', word: 'within rounding', tone: 'accent' },
  lost: { glyph: '△', word: 'lost', tone: 'amber' },
  differs: { glyph: '≠', word: 'different', tone: 'brick' },
  'by-hand': { glyph: '✎', word: 'set manually', tone: 'quiet' },
  unsupported: { glyph: '–', word: 'not supported', tone: 'quiet' },
}

export const causeWords = (cause: string) => cause.replaceAll('-', ' ')

/** What long work is called, by its kind. */
export const JOB_NAMES: Record<string, string> = {
  'bring-in': 'Measuring files',
  export: 'Export',
  trial: 'Trial',
  convert: 'Converting maps',
  occlusion: 'Baking occlusion',
  embedded: 'Bringing in what is inside',
  measure: 'Measuring files',
  match: 'Comparing layouts',
  recipe: 'Changing a mesh',
  package: 'Taking a package in',
  paint: 'Making a picture of a mesh',
  normal: 'Making a normal map',
  deliver: 'Delivering',
  scene: 'Writing the scene',
  archive: 'Packing the project',
  'package-archive': 'Packing the package',
}

/** What a job waits for, in words; empty for one that runs. */
export function waitingWords(job: Pick<Job, 'state' | 'doing' | 'waits_for' | 'waits_elsewhere'>) {
  if (job.state !== 'waiting') return ''
  if (!job.waits_for) return job.doing || 'waiting for its turn'
  const what = (JOB_NAMES[job.waits_for] ?? job.waits_for).toLowerCase()
  return `waits for: ${what}${job.waits_elsewhere ? ', in another project' : ''}`
}

export const CHANNEL_LETTERS = ['r', 'g', 'b', 'a'] as const

export const count = (number: number, one: string, many = `${one}s`) =>
  `${number} ${number === 1 ? one : many}`

/** Longest sides to choose from, and the one that is set; 0 stands for no limit. */
export const sizesWith = (own: number | null | undefined) =>
  [...new Set([0, 4096, 2048, 1024, 512, 256, 128, 64, 32, ...(own ? [own] : [])])].sort((a, b) =>
    a === 0 ? -1 : b === 0 ? 1 : b - a,
  )

export function bytes(size: number): string {
  if (size < 1024) return `${size} B`
  const units = ['kB', 'MB', 'GB']
  let value = size / 1024
  let unit = 0
  while (value >= 1000 && unit < 2) {
    value /= 1024
    unit += 1
  }
  return `${value.toFixed(value < 10 ? 1 : 0)} ${units[unit]}`
}

export const sizeWords = (width: number, height: number) =>
  width === height ? `${width}²` : `${width} × ${height}`

export function ago(iso: string): string {
  const minutes = Math.round((Date.now() - new Date(iso).getTime()) / 60000)
  if (minutes < 1) return 'just now'
  if (minutes < 60) return `${minutes} min ago`
  if (minutes < 60 * 24) return `${Math.round(minutes / 60)} h ago`
  return new Date(iso).toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })
}

/** What a set's material is called: with the UDIM tile, where it is for one. */
export const nameOfSet = (set: string, tile: number | null | undefined) =>
  tile ? `${set}_${tile}` : set

/** A number for people: no powers of ten, three digits that count, large ones in groups. */
export function readable(value: number): string {
  if (value === 0) return '0'
  const size = Math.abs(value)
  if (size >= 1000) return Math.round(value).toLocaleString('en')
  if (size < 0.0005) return 'under 0.001'
  return String(Number(value.toPrecision(3)))
}

/** How far a cell of a trial is off, in words. */
export function errorWords(cell: Cell): string {
  if (cell.max_error == null) return ''
  if (cell.unit === 'of the diagonal')
    return `largest distance ${readable(cell.max_error * 100)} % of the diagonal`
  const unit = cell.unit ? ` ${cell.unit}` : ''
  const parts = [`largest ${readable(cell.max_error)}${unit}`]
  if (cell.mean_error != null) parts.push(`mean ${readable(cell.mean_error)}${unit}`)
  if (cell.differing != null) parts.push(`${readable(cell.differing * 100)} % of texels differ`)
  return parts.join(' · ')
}

const collator = new Intl.Collator('en', { numeric: true, sensitivity: 'base' })

/** Order of names as a person counts: wall_2 before wall_10. */
export const naturally = (a: string, b: string) => collator.compare(a, b)

/** What an input or a role is called in a sentence, by its name in the document. */
export const inWords = (code: string) => code.replaceAll('_', ' ').replace('color', 'colour')

/** A number as it was given: up to six digits that count, at least so many behind the point. */
export function exact(value: number, least = 0): string {
  const short = value.toFixed(least)
  const whole = String(Number(value.toPrecision(6)))
  return Number(short) === Number(whole) ? short : whole
}
