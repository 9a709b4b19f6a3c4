import { Box, Button, Checkbox, FormControlLabel, TextField } from '@mui/material'
import { styled } from '@mui/material/styles'
import { useState } from 'react'
import { useNavigate } from 'react-router'

import { useProjectId } from '../api/queries'
import { ago } from '../words'
import type { At, Note } from './notes'
import { atWords, pathOf, sameAt, useNoteChanges, useNotes, useNoting } from './notes'
import { labels } from '../words/team'
import { SidePanel, stayInPanel } from './SidePanel'

/** Every note of the project, those at the present thing first, and a new one. */
export function NotesPanel() {
  const { at, close } = useNoting()
  if (!at) return null
  return <Notes key={`${at.kind} ${at.place.join()}`} at={at} close={close} />
}

function Notes({ at, close }: { at: At; close: () => void }) {
  const notes = useNotes()
  const { leave } = useNoteChanges()
  const [text, setText] = useState('')
  const [all, setAll] = useState(false)
  const shown = notes
    .filter((note) => all || !note.closed)
    .sort((one, other) => Number(sameAt(other, at)) - Number(sameAt(one, at)))
  const closed = notes.filter((note) => note.closed).length
  return (
    <SidePanel
      title={labels.notes}
      close={close}
      beside={
        closed > 0 && (
          <FormControlLabel
            control={
              <Checkbox
                size="small"
                checked={all}
                onChange={(event) => setAll(event.target.checked)}
              />
            }
            label={labels.closedOnesToo(closed)}
          />
        )
      }
    >
      <form
        onSubmit={(event) => {
          event.preventDefault()
          if (text.trim())
            leave.mutate({ ...at, text: text.trim() }, { onSuccess: () => setText('') })
        }}
      >
        <TextField
          autoFocus
          fullWidth
          multiline
          minRows={2}
          size="small"
          label={labels.aNoteAt(atWords(at))}
          value={text}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === 'Enter' && (event.ctrlKey || event.metaKey))
              event.currentTarget.closest('form')?.requestSubmit()
          }}
        />
        <Box className="row" sx={{ marginTop: 0.75 }}>
          <span className="small grow">
            <kbd className="key">{labels.ctrlEnter}</kbd> {labels.addsIt}
          </span>
          <Button type="submit" variant="contained" disabled={!text.trim() || leave.isPending}>
            {labels.addNoteTitle}
          </Button>
        </Box>
      </form>
      {shown.length === 0 && <p className="quiet">{labels.noOpenNotesAddOneFor}</p>}
      <ul>
        {shown.map((note) => (
          <OneNote key={note.id} note={note} here={sameAt(note, at)} close={close} />
        ))}
      </ul>
    </SidePanel>
  )
}

const NoteItem = styled('li')({
  borderLeft: '3px solid var(--amber)',
  paddingLeft: 10,
  display: 'grid',
  gap: 4,
  '&.closed': { borderLeftColor: 'var(--line)', color: 'var(--ink2)' },
  '& p': { overflowWrap: 'anywhere', whiteSpace: 'pre-wrap' },
  '& .answer': { paddingLeft: 10, borderLeft: '1px solid var(--line)' },
})

function OneNote({ note, here, close }: { note: Note; here: boolean; close: () => void }) {
  const id = useProjectId()
  const navigate = useNavigate()
  const changes = useNoteChanges()
  const [answer, setAnswer] = useState<string | null>(null)
  return (
    <NoteItem className={note.closed ? 'closed' : ''}>
      <div className="small row">
        <button
          className="link grow ellipsis"
          onClick={() => {
            close()
            void navigate(`/projects/${id}/${pathOf(note)}`)
          }}
        >
          {here ? labels.wordHere : labels.at(atWords(note))}
        </button>
        <span>{[note.author, ago(note.made)].filter(Boolean).join(', ')}</span>
      </div>
      <p>{note.text}</p>
      {note.answers.map((one) => (
        <p key={one.id} className="answer">
          {one.text}{' '}
          <span className="small">{[one.author, ago(one.made)].filter(Boolean).join(', ')}</span>
        </p>
      ))}
      {answer !== null && (
        <form
          className="row"
          onSubmit={(event) => {
            event.preventDefault()
            if (answer.trim())
              changes.leave.mutate(
                { kind: note.kind, place: note.place, text: answer.trim(), answers: note.id },
                { onSuccess: () => setAnswer(null) },
              )
          }}
        >
          <TextField
            autoFocus
            fullWidth
            size="small"
            label={labels.answer}
            value={answer}
            onChange={(event) => setAnswer(event.target.value)}
          />
          <Button type="submit" disabled={!answer.trim()}>
            {labels.send}
          </Button>
        </form>
      )}
      <div className="row">
        {answer === null && (
          <button className="link small" onClick={() => setAnswer('')}>
            {labels.answer}
          </button>
        )}
        <button
          className="link small"
          onClick={(event) => {
            stayInPanel(event.currentTarget)
            changes.close.mutate({ note: note.id, closed: !note.closed })
          }}
        >
          {note.closed ? labels.reopen : labels.resolve}
        </button>
        {note.closed && note.closed_by && (
          <span className="small">{labels.closedBy(note.closed_by)}</span>
        )}
      </div>
    </NoteItem>
  )
}
