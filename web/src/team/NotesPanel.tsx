import { Button, Checkbox, Drawer, FormControlLabel, TextField } from '@mui/material'
import { useState } from 'react'
import { useNavigate } from 'react-router'

import { useProjectId } from '../api/queries'
import { ago } from '../words'
import type { At, Note } from './notes'
import { atWords, pathOf, sameAt, useNoteChanges, useNotes, useNoting } from './notes'
import './notes.css'
import { labels } from '../words/team'

/** Every note of the project, those at the present thing first, and a new one. */
export function NotesPanel() {
  const { at, close } = useNoting()
  if (!at) return null
  return (
    <Drawer
      anchor="right"
      open
      onClose={close}
      slotProps={{ paper: { 'aria-label': 'Notes', role: 'dialog' } as object }}
    >
      <Notes key={`${at.kind} ${at.place.join()}`} at={at} close={close} />
    </Drawer>
  )
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
    <div className="notes" tabIndex={-1}>
      <div className="row">
        <h1 className="grow">{labels.notes}</h1>
        {closed > 0 && (
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
        )}
        <Button variant="text" onClick={close}>
          {labels.close}
        </Button>
      </div>
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
        <div className="row" style={{ marginTop: 6 }}>
          <span className="small grow">
            <kbd className="key">{labels.ctrlEnter}</kbd> {labels.addsIt}
          </span>
          <Button type="submit" variant="contained" disabled={!text.trim() || leave.isPending}>
            {labels.addNoteTitle}
          </Button>
        </div>
      </form>
      {shown.length === 0 && <p className="quiet">{labels.noOpenNotesAddOneFor}</p>}
      <ul>
        {shown.map((note) => (
          <OneNote key={note.id} note={note} here={sameAt(note, at)} close={close} />
        ))}
      </ul>
    </div>
  )
}

function OneNote({ note, here, close }: { note: Note; here: boolean; close: () => void }) {
  const id = useProjectId()
  const navigate = useNavigate()
  const changes = useNoteChanges()
  const [answer, setAnswer] = useState<string | null>(null)
  return (
    <li className={note.closed ? 'closed' : ''}>
      <div className="small row">
        <button
          className="link grow ellipsis"
          onClick={() => {
            close()
            void navigate(`/projects/${id}/${pathOf(note)}`)
          }}
        >
          {here ? 'here' : labels.at(atWords(note))}
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
            // The button may go with its note: the keyboard stays in the panel.
            event.currentTarget.closest<HTMLElement>('.notes')?.focus()
            changes.close.mutate({ note: note.id, closed: !note.closed })
          }}
        >
          {note.closed ? labels.reopen : labels.resolve}
        </button>
        {note.closed && note.closed_by && (
          <span className="small">{labels.closedBy(note.closed_by)}</span>
        )}
      </div>
    </li>
  )
}
