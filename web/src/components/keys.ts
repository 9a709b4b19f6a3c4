// Keys: each screen names the keys that work on it, and they are shown at the foot.
import { useEffect, useRef } from 'react'

import { useStatus } from '../api/notices'

export interface Key {
  key: string
  words: string
  run: () => void
}

/** Whether letters go into what has the focus. */
export const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)) &&
  !(
    target instanceof HTMLInputElement &&
    ['checkbox', 'radio', 'range', 'button'].includes(target.type)
  )

/** Single keys of a screen; they rest while a person types or a dialog is open. */
export function useKeys(keys: Key[]) {
  const latest = useRef(keys)
  useEffect(() => {
    latest.current = keys
  })
  const names = keys.map((key) => `${key.key}\t${key.words}`).join('\n')
  const setKeys = useStatus((state) => state.setKeys)
  useEffect(() => {
    setKeys(names ? names.split('\n').map((pair) => pair.split('\t') as [string, string]) : [])
    return () => setKeys([])
  }, [names, setKeys])
  useEffect(() => {
    const pressed = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return
      if (document.querySelector('[role="dialog"], [role="menu"], [role="listbox"]')) return
      const match = latest.current.find((key) => key.key.toLowerCase() === event.key.toLowerCase())
      if (!match) return
      event.preventDefault()
      match.run()
    }
    window.addEventListener('keydown', pressed)
    return () => window.removeEventListener('keydown', pressed)
  }, [])
}
