import {
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  TextField,
} from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import { useBoard } from '../api/queries'
import type { Project } from '../api/types'
import { labels } from '../words/materials'

const TOKENS = '{name} {set} {tag} {base} {number}'

/** Rename all materials by a rule with tokens in braces, seen before it is done. */
export function BatchRename({ project, close }: { project: Project; close: () => void }) {
  const edit = useEdit()
  const board = useBoard().data ?? []
  const [rule, setRule] = useState('{tag}_{name}')
  const materials = project.document.materials ?? {}
  const renamed = Object.entries(materials).map(([name, entry], index) => {
    const map = Object.values(entry.inputs ?? {}).find((feed) => feed.map)?.map
    const values: Record<string, string> = {
      name,
      set: board.find((row) => row.name === map)?.set ?? name,
      tag: entry.surface_tag ?? '',
      base: entry.from ?? '',
      number: String(index + 1).padStart(2, '0'),
    }
    const made = rule
      .replaceAll(/\{(\w+)\}/g, (whole, token: string) => values[token] ?? whole)
      .replaceAll(/__+/g, '_')
      .replace(/^_|_$/g, '')
    return { name, made }
  })
  const twice = new Set(renamed.map(({ made }) => made)).size < renamed.length
  const unknown = /\{(?!name\}|set\}|tag\}|base\}|number\})/.test(rule)
  const changed = renamed.filter(({ name, made }) => name !== made)
  const problem = unknown
    ? labels.onlyTheseTokensAreKnown(TOKENS)
    : twice
      ? labels.twoMaterialsWouldHaveTheSame
      : renamed.some(({ made }) => !made)
        ? labels.aNameWouldBeEmpty
        : ''
  return (
    <Dialog open onClose={close} fullWidth maxWidth="sm">
      <DialogTitle>{labels.batchRename}</DialogTitle>
      <DialogContent>
        <TextField
          autoFocus
          fullWidth
          margin="dense"
          label={labels.rule}
          value={rule}
          error={problem !== ''}
          helperText={problem || labels.tokens(TOKENS)}
          onChange={(event) => setRule(event.target.value)}
        />
        <Box
          className="mono"
          sx={{
            display: 'grid',
            gridTemplateColumns: '1fr 1fr',
            gap: '2px 16px',
            marginTop: 1,
            maxHeight: 260,
            overflow: 'auto',
          }}
          tabIndex={0}
          role="group"
          aria-label={labels.whatItGives}
        >
          {renamed.map(({ name, made }) => [
            <span key={name} className="quiet ellipsis">
              {name}
            </span>,
            <span key={labels.newNameOf(name)} className="ellipsis">
              {made === name ? labels.wordStays : made}
            </span>,
          ])}
        </Box>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.cancel}</Button>
        <Button
          variant="contained"
          disabled={problem !== '' || changed.length === 0}
          onClick={() => {
            void edit({
              kind: 'rename-materials',
              names: Object.fromEntries(changed.map(({ name, made }) => [name, made])),
            })
            close()
          }}
        >
          {labels.rename(changed.length)}
        </Button>
      </DialogActions>
    </Dialog>
  )
}
