import { useState } from 'react'

/** A number while it is being typed; it counts when the field is left, if it is a number (with a decimal point or comma) and another one. */
export function useTyped(value: number, done: (value: number) => void) {
  const [typed, setTyped] = useState<string | null>(null)
  const finish = () => {
    const number = Number(typed?.replace(',', '.'))
    if (typed !== null && typed.trim() !== '' && Number.isFinite(number) && number !== value)
      done(number)
    setTyped(null)
  }
  return { typed, setTyped, finish }
}
