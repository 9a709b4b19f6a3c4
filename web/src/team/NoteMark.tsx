import { styled } from '@mui/material/styles'
import { count } from '../words'
import type { At } from './notes'
import { sameAt, useNotes, useNoting } from './notes'
import { labels } from '../words/team'

const NoteMarkBox = styled('button')({
  cursor: 'pointer',
})

const useOpenAt = (at: At) => useNotes().filter((note) => !note.closed && sameAt(note, at)).length

/** How many notes are open at a thing; leads to them. Nothing where there are none. */
export function NoteMark({ at }: { at: At }) {
  const open = useOpenAt(at)
  const show = useNoting((state) => state.open)
  if (open === 0) return null
  return (
    <NoteMarkBox
      className="chip amber"
      aria-haspopup="dialog"
      onClick={(event) => {
        event.stopPropagation()
        show(at)
      }}
    >
      {count(open, 'note')}
    </NoteMarkBox>
  )
}

/** The way to leave the first note at a thing; with `marked`, or how many there are. */
export function AddNote({ at, marked = false }: { at: At; marked?: boolean }) {
  const open = useOpenAt(at)
  const show = useNoting((state) => state.open)
  if (open > 0) return marked ? <NoteMark at={at} /> : null
  return (
    <button className="link small" aria-haspopup="dialog" onClick={() => show(at)}>
      {labels.addNote}
    </button>
  )
}
