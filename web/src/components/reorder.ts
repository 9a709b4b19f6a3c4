// Order by drag: what is dragged goes where it is let go. The same by keyboard, for those who cannot drag.
import { useState } from 'react'
import { labels } from '../words/components'

/** A list with one entry moved to another place. */
export function moved<T>(list: readonly T[], from: number, to: number): T[] {
  const rest = list.filter((_, at) => at !== from)
  return [...rest.slice(0, to), ...list.slice(from, from + 1), ...rest.slice(to)]
}

/** What an entry of a list needs to be moved among the others: `handle` is dragged, `goal` is where one lets go. */
export function useReorder(count: number, move: (from: number, to: number) => void) {
  const [dragged, setDragged] = useState<number | null>(null)
  const [over, setOver] = useState<number | null>(null)
  const end = () => {
    setDragged(null)
    setOver(null)
  }
  return {
    handle: (at: number) => ({
      draggable: count > 1,
      tabIndex: count > 1 ? 0 : undefined,
      title: count > 1 ? labels.dragOrAltWithAn : undefined,
      onDragStart: (event: React.DragEvent) => {
        event.dataTransfer.effectAllowed = 'move'
        event.dataTransfer.setData('text/plain', String(at))
        setDragged(at)
      },
      onDragEnd: end,
      onKeyDown: (event: React.KeyboardEvent) => {
        const to = at + ({ ArrowUp: -1, ArrowDown: 1 }[event.key] ?? 0)
        if (!event.altKey || to === at || to < 0 || to >= count) return
        event.preventDefault()
        move(at, to)
      },
    }),
    goal: (at: number) => ({
      'data-over': over === at && dragged !== at ? true : undefined,
      onDragOver: (event: React.DragEvent) => {
        if (dragged === null) return
        event.preventDefault()
        setOver(at)
      },
      onDrop: (event: React.DragEvent) => {
        if (dragged === null) return
        event.preventDefault()
        event.stopPropagation()
        if (dragged !== at) move(dragged, at)
        end()
      },
    }),
  }
}
