import { styled } from '@mui/material/styles'
import {
  Box,
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  TextField,
} from '@mui/material'
import { useState } from 'react'

import { useEdit } from '../api/changes'
import { useGroupingSuggestions } from '../api/queries'
import type { BoardMap, Edit } from '../api/types'
import { MapThumb } from '../components/MapThumb'
import { ROLE_WORDS, count } from '../words'
import { labels } from '../words/maps'

const Together = styled('div')({
  alignItems: 'flex-start',
  padding: '10px 0',
  borderTop: '1px solid var(--line)',
})

/** Maps whose names say nothing and that seem to show one surface: put into sets, where a person agrees. */
export function GroupSuggestions({ maps }: { maps: BoardMap[] }) {
  const groups = useGroupingSuggestions().data ?? []
  const [open, setOpen] = useState(false)
  if (groups.length === 0) return null
  const number = groups.reduce((sum, group) => sum + group.maps.length, 0)
  return (
    <div className="bar chosen">
      <b>{labels.mayBelongTogether(count(number, 'map'))}</b>
      <span className="small grow ellipsis">{labels.theirEdgesLieInTheSame}</span>
      <Button onClick={() => setOpen(true)}>{labels.lookAtThem}</Button>
      {open && <Groups groups={groups} maps={maps} close={() => setOpen(false)} />}
    </div>
  )
}

interface GroupsProps {
  groups: { maps: string[]; correlation: number }[]
  maps: BoardMap[]
  close: () => void
}

function Groups({ groups, maps, close }: GroupsProps) {
  const edit = useEdit()
  const [off, setOff] = useState<Record<string, boolean>>({})
  const [names, setNames] = useState<Record<string, string>>({})
  const keyOf = (group: { maps: string[] }) => group.maps.join('\n')
  const nameOf = (group: { maps: string[] }) => (names[keyOf(group)] ?? group.maps[0]!).trim()
  const ticked = groups.filter((group) => !off[keyOf(group)] && nameOf(group) !== '')
  const accept = () => {
    void edit(
      ...ticked.map((group): Edit => ({ kind: 'set-map', maps: group.maps, set: nameOf(group) })),
    )
    close()
  }
  return (
    <Dialog open onClose={close} maxWidth="sm" fullWidth>
      <DialogTitle>{labels.mapsThatMayBelongTogether}</DialogTitle>
      <DialogContent>
        <Box component="p" className="small" sx={{ marginBottom: 1.25 }}>
          {labels.theirNamesSayNothingTheyAre}
        </Box>
        {groups.map((group) => (
          <Together key={keyOf(group)} className="row">
            <Checkbox
              checked={!off[keyOf(group)]}
              onChange={(event) => setOff({ ...off, [keyOf(group)]: !event.target.checked })}
              slotProps={{ input: { 'aria-label': labels.groupMaps(group.maps.join(', ')) } }}
            />
            <div className="row wrap grow">
              {group.maps.map((name) => {
                const map = maps.find((entry) => entry.name === name)
                const roles = Object.values(map?.roles ?? {})
                return (
                  <Box component="figure" key={name} sx={{ margin: 0, width: 84 }}>
                    {map && <MapThumb sha256={map.sha256} side={84} />}
                    <figcaption className="small ellipsis" title={name}>
                      {name}
                      <br />
                      {roles.map((role) => ROLE_WORDS[role].toLowerCase()).join(' · ') ||
                        labels.notKnown}
                    </figcaption>
                  </Box>
                )
              })}
            </div>
            <Box sx={{ width: 150 }}>
              <TextField
                fullWidth
                label={labels.set}
                value={names[keyOf(group)] ?? group.maps[0]}
                onChange={(event) => setNames({ ...names, [keyOf(group)]: event.target.value })}
              />
              <span className="small">{labels.edgesAgree(group.correlation.toFixed(2))}</span>
            </Box>
          </Together>
        ))}
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{labels.cancel}</Button>
        <Button variant="contained" disabled={ticked.length === 0} onClick={accept}>
          {labels.putTogether}
        </Button>
      </DialogActions>
    </Dialog>
  )
}
