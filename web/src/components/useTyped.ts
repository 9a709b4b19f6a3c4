import { useState } from 'react'
import { labels } from '../words/components'

/** The least and the largest that a number may be; either may be missing. */
export type Limits = readonly [number | null, number | null]

/** A number as a person types it, with a decimal point or comma; null for what is none. */
export function readNumber(text: string): number | null {
  const number = Number(text.trim().replace(',', '.'))
  return text.trim() !== '' && Number.isFinite(number) ? number : null
}

/** What is wrong with a typed number, with what is allowed; null where nothing is. */
export function problemOf(text: string, [least, most]: Limits = [null, null]): string | null {
  const number = readNumber(text)
  if (number === null) return labels.aNumberSuchAs0
  if ((least === null || number >= least) && (most === null || number <= most)) return null
  if (least !== null && most !== null) return labels.fromTo(least, most)
  return least !== null ? labels.orMore(least) : labels.orLess(most)
}

/** A number while it is being typed; it counts when the field is left, if it may be and is another one. What may not be stays to be
 * mended, with the reason; Escape gives it up. */
export function useTyped(value: number, done: (value: number) => void, limits?: Limits) {
  const [typed, setTyped] = useState<string | null>(null)
  const [problem, setProblem] = useState<string | null>(null)
  const give = (text: string | null) => {
    setTyped(text)
    setProblem(null)
  }
  const finish = () => {
    if (typed === null || typed.trim() === '') return give(null)
    const wrong = problemOf(typed, limits)
    if (wrong) return setProblem(wrong)
    const number = readNumber(typed)
    if (number !== null && number !== value) done(number)
    give(null)
  }
  return { typed, setTyped: give, finish, problem, drop: () => give(null) }
}
