// What is to be said of a slot's UVs in a word or two: the first that holds, the gravest before others.
import { OVERLAP } from '../api/tables'
import type { SlotFacts } from '../api/types'
import { readable } from '../words'
import { labels } from '../words/meshes'
import type { Densities } from './density'

export interface UvState {
  words: string
  tone: '' | 'amber' | 'brick'
  why: string
}

/** So many times in a row a pattern is seen as one. Common practice, without a source. */
const OFTEN = 8

/** A stretch at the worst place (L∞) above this is said. Common practice knows no number; twice the smallest is seen at once. */
const STRETCHED = 4

/** Reaching over more than this, UVs are meant to tile; over less, they stick out by mistake. */
const TILES = 1.5

/** Texels so many times denser or coarser than is usual on the mesh are said. Common practice, without a source. */
const UNEVEN = 2.5

type Judge = (slot: SlotFacts, densities: Densities) => UvState | null

const withoutUvs: Judge = ({ uv }) =>
  uv.min == null || uv.max == null
    ? { words: labels.noUvs, tone: 'brick', why: labels.mapsCannotBeLaidOnIt }
    : null

const repeated: Judge = (slot, densities) => {
  const times = densities.repeats(slot)
  return times >= OFTEN
    ? {
        words: labels.repeats(times.toFixed(0)),
        tone: 'amber',
        why: labels.onePictureLiesOnItTimes(times.toFixed(0)),
      }
    : null
}

const outside: Judge = ({ uv: { inside, min, max } }) => {
  if (inside || !min || !max) return null
  const reach = Math.max(...max.map((high, axis) => high - min[axis]!))
  return reach > TILES
    ? {
        words: labels.tiles(reach.toFixed(1)),
        tone: '',
        why: labels.itsUvsReachOverSeveralPictures,
      }
    : { words: labels.outside, tone: 'amber', why: labels.itsUvsLeave01A }
}

const onALine: Judge = (slot, densities) =>
  densities.of(slot) === 0
    ? { words: labels.uvsWithoutArea, tone: 'amber', why: labels.allItsUvsLieOnA }
    : null

/** The share of a slot that shares its UVs with a twin, on purpose. */
const twins = ({ uv }: SlotFacts) => (uv.stacked ?? 0) + (uv.mirrored ?? 0)

const overlapping: Judge = (slot) =>
  slot.uv.overlap > OVERLAP && twins(slot) < OVERLAP
    ? {
        words: labels.overlap(Math.round(slot.uv.overlap * 100)),
        tone: 'amber',
        why: labels.islandsLieOnEachOtherWithout,
      }
    : null

const uneven: Judge = (slot, densities) => {
  const own = densities.of(slot)
  if (own === null || densities.usual <= 0) return null
  const ratio = own / densities.usual
  if (ratio >= 1 / UNEVEN && ratio <= UNEVEN) return null
  const times = ratio < 1 ? `1/${(1 / ratio).toFixed(0)}` : `${ratio.toFixed(0)}×`
  return { words: labels.densityOf(times), tone: 'amber', why: labels.itsTexelsAreMuchLargerOr }
}

const stretched: Judge = ({ uv: { linf } }) => {
  if (linf === null)
    return { words: labels.uvsWithoutArea, tone: 'amber', why: labels.someOfItsFacesHaveNo }
  if (linf === undefined || linf <= STRETCHED) return null
  return {
    words: labels.stretched(linf.toFixed(linf < 10 ? 1 : 0)),
    tone: 'amber',
    why: labels.somewhereItsMapsArePulledTimes(readable(linf)),
  }
}

const twinned: Judge = (slot) =>
  twins(slot) >= OVERLAP
    ? {
        words:
          (slot.uv.mirrored ?? 0) > (slot.uv.stacked ?? 0)
            ? labels.wordMirrored
            : labels.wordStacked,
        tone: '',
        why: labels.twinsShareTheirUvsOnPurpose,
      }
    : null

const JUDGES = [withoutUvs, repeated, outside, onALine, overlapping, uneven, stretched, twinned]

export function uvState(slot: SlotFacts, densities: Densities): UvState {
  for (const judge of JUDGES) {
    const state = judge(slot, densities)
    if (state) return state
  }
  return { words: labels.wordUnique, tone: '', why: labels.noTwoFacesShareATexel }
}
